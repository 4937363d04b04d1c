/* SPDX-License-Identifier: Apache-2.0 */
#include "source/hooks.h"

#include <stdlib.h>

const struct source *source_of(const struct olv_docket_entry *e)
{
    static const struct source *const sources[OLV_PLACES] = {
        [OLV_IN_TREE] = &source_tree, [OLV_IN_TRASH] = &source_trash, [OLV_IN_DEPOT] = &source_depot};
    return sources[e->place];
}

void source_unreached(const struct olv_docket_entry *e, struct olv_outcome *o)
{
    outcome_failed(o);
    if (source_of(e)->unreached)
        source_of(e)->unreached(e, o);
}

void *turn_state(const struct turn *turn, size_t size)
{
    if (!*turn->own.state)
        *turn->own.state = calloc(1, size);
    return *turn->own.state;
}

const struct hooks *hooks_of(const struct olv_docket_entry *e)
{
    return e->act->hooks ? e->act->hooks : source_of(e)->ways[e->act->way];
}

void batch_key_of(const struct olv_docket_entry *e, struct olv_text *out)
{
    const struct hooks *hooks = hooks_of(e);
    if (hooks && hooks->is_one_batch && hooks->is_one_batch(e))
        hooks->group_key(e, out);
}
