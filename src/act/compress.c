/* SPDX-License-Identifier: Apache-2.0 */
/* compress: replaces a file by a compressed one, with the suffix of its format. */
#include "act/level.h"
#include "act/shrinks.h"
#include "source/judged.h"

#include <limits.h>
#include <stdio.h>
#include <string.h>

static size_t compress_lengthens(const void *arguments)
{
    const struct shrink_arguments *how = arguments;
    return strlen(olv_codec_suffix((enum olv_codec)how->codec));
}

static bool compress_name(const struct olv_docket_entry *e, char *out, size_t size, struct olv_error *err)
{
    const struct shrink_arguments *how = e->arguments;
    if (e->identity.kind != OLV_KIND_FILE)
        return olv_fail(err, OLV_CHANGED, "only files can be compressed");
    if (strlen(e->name) + compress_lengthens(how) > NAME_MAX)
        return olv_fail(err, OLV_CHANGED, "its name leaves no room for the suffix %s",
                        olv_codec_suffix((enum olv_codec)how->codec));
    snprintf(out, size, "%s%s", e->name, olv_codec_suffix((enum olv_codec)how->codec));
    return true;
}

static const struct shrinks way = {.packs = true, .name = compress_name, .write = shrink_pack};

static const struct hooks hooks = SHRINKS_HOOKS(way);

static bool compress_complete(void *arguments, const struct completing *completing)
{
    struct shrink_arguments *how = arguments;
    return level_complete(&how->level, (enum olv_codec)how->codec, "as", completing);
}

#define AT(member) offsetof(struct shrink_arguments, member)
static const struct olv_key keys[] = {
    {.name = "as",
     .type = OLV_KEY_WORD,
     .at = AT(codec),
     .by = OLV_BY_BOTH,
     .words = olv_codec_words,
     .usual = "zstd",
     .said_as = " as ",
     .about = "The format."},
    LEVEL_KEY(AT(level)),
    {.name = "keep", .type = OLV_KEY_TRUTH, .at = AT(keeps), .by = OLV_BY_OPTION},
    {0}};

const struct olv_act act_compress = {.word = "compress",
                                     .past = "compressed",
                                     .wire = 2,
                                     .traits = OLV_TOUCHES | OLV_OUTLIVED | OLV_AGAIN_IF_CHANGED | OLV_FORMER,
                                     .back = "Undo compressing: olvido decompress FILE…",
                                     .keys = keys,
                                     .arguments = sizeof(struct shrink_arguments),
                                     .complete = compress_complete,
                                     .lengthens = compress_lengthens,
                                     .hooks = &hooks};
