/* SPDX-License-Identifier: Apache-2.0 */
/* decompress: replaces a compressed file by its contents, without the suffix. */
#include "act/shrinks.h"
#include "source/judged.h"

#include <stdio.h>
#include <string.h>

static bool decompress_name(const struct olv_docket_entry *e, char *out, size_t size, struct olv_error *err)
{
    /* The short suffixes of tar archives leave "tar". */
    static const char *const shorts[] = {".tgz", ".tbz2", ".txz", ".tzst"};
    enum olv_codec codec = olv_codec_of_name(e->name);
    size_t len = strlen(e->name);
    if (e->identity.kind != OLV_KIND_FILE)
        return olv_fail(err, OLV_CHANGED, "only files can be decompressed");
    if (codec != OLV_CODEC_NONE) {
        snprintf(out, size, "%.*s", (int)(len - strlen(olv_codec_suffix(codec))), e->name);
        return true;
    }
    for (size_t i = 0; i < sizeof shorts / sizeof *shorts; i++) {
        size_t n = strlen(shorts[i]);
        if (len > n && strcmp(e->name + len - n, shorts[i]) == 0) {
            snprintf(out, size, "%.*s.tar", (int)(len - n), e->name);
            return true;
        }
    }
    olv_fail(err, OLV_REFUSED, "its name does not end with .gz, .bz2, .xz or .zst");
    return olv_error_hint(err, "--to NAME sets the name of the decompressed file");
}

static const struct shrinks way = {.packs = false, .name = decompress_name, .write = shrink_unpack};

static const struct hooks hooks = SHRINKS_HOOKS(way);

#define AT(member) offsetof(struct shrink_arguments, member)
static const struct olv_key keys[] = {
    {.name = "keep", .type = OLV_KEY_TRUTH, .at = AT(keeps), .by = OLV_BY_OPTION},
    {.name = "max-size", .type = OLV_KEY_SIZE, .at = AT(most_bytes), .by = OLV_BY_OPTION},
    {0}};

const struct olv_act act_decompress = {.word = "decompress",
                                       .past = "decompressed",
                                       .wire = 13,
                                       .traits = OLV_TOUCHES | OLV_BY_HAND_ONLY,
                                       .keys = keys,
                                       .arguments = sizeof(struct shrink_arguments),
                                       .hooks = &hooks};
