/* SPDX-License-Identifier: Apache-2.0 */
/* compress: replaces a file by a compressed one, with the suffix of its format. */
#include "act/shrinks.h"
#include "policy/step_keys.h"
#include "source/judged.h"

#include <stdio.h>

static bool compress_name(const struct olv_docket_entry *e, char *out, size_t size, struct olv_error *err)
{
    if (e->identity.kind != OLV_KIND_FILE)
        return olv_fail(err, OLV_CHANGED, "only files can be compressed");
    snprintf(out, size, "%s%s", e->name, olv_codec_suffix(e->manner->codec));
    return true;
}

static const struct shrinks way = {.packs = true, .name = compress_name, .write = shrink_pack};

static const struct hooks hooks = SHRINKS_HOOKS(way);

static const struct step_key keys[] = {
    {"as", &step_format, false, "compress: the format."},
    {"level", &step_level, false, "compress, archive: in the range of the format."},
    {0}};

const struct olv_act act_compress = {.word = "compress",
                                     .past = "compressed",
                                     .wire = 2,
                                     .traits = OLV_TOUCHES | OLV_OUTLIVED | OLV_BY_POLICY,
                                     .back = "Undo compressing: olvido decompress FILE…",
                                     .keys = keys,
                                     .hooks = &hooks};
