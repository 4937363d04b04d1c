/* SPDX-License-Identifier: Apache-2.0 */
/* compress: a file becomes a compressed one, with the suffix of its format. */
#include "act/shrinks.h"

#include <stdio.h>

static bool name(const struct olv_docket_entry *e, const struct olv_how *how, char *out, size_t size,
                 struct olv_error *err)
{
    if (e->identity.kind != OLV_KIND_FILE)
        return olv_fail(err, OLV_CHANGED, "only files can be compressed");
    snprintf(out, size, "%s%s", e->name, olv_codec_suffix(how->codec));
    return true;
}

static void make(struct olv_act_context *context, const struct olv_group *group)
{
    shrinks_make(context, group, name, shrink_pack);
}

static enum olv_truth settle_entry(struct olv_act_context *context, const struct olv_docket_entry *entry,
                                   struct olv_outcome *outcome)
{
    return shrinks_settle(context, entry, name, outcome);
}

static const struct olv_group_act group = {.make = make, .complete = shrinks_complete, .drop = shrinks_drop};

const struct olv_act olv_act_compress = {
    .id = OLV_ACT_COMPRESS,
    .result = "done",
    .is_touching = true,
    .needs_givens = true,
    .apply = shrinks_apply,
    .group = &group,
    .settle_entry = settle_entry,
};
