/* SPDX-License-Identifier: Apache-2.0 */
#include "source/hooks.h"

const struct source *source_of(const struct olv_docket_entry *e)
{
    static const struct source *const sources[OLV_PLACES] = {
        [OLV_IN_TREE] = &source_tree, [OLV_IN_TRASH] = &source_trash, [OLV_IN_DEPOT] = &source_depot};
    return sources[e->place];
}

const struct hooks *hooks_of(const struct olv_docket_entry *e)
{
    return e->act->hooks ? e->act->hooks : source_of(e)->ways[e->act->way];
}

void batch_key_of(const struct olv_docket_entry *e, struct olv_text *out)
{
    const struct hooks *hooks = hooks_of(e);
    if (hooks && hooks->is_one_batch && hooks->is_one_batch(e))
        hooks->key(e, out);
}
