/* SPDX-License-Identifier: Apache-2.0 */
/* The tree of files as a place. Ending: unlinked, and not recoverable by Olvido. */
#include "source/hooks.h"

#include "file/stage.h"

static void end(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char label[FRESH_LABEL];
    if (e->identity.kind == OLV_KIND_DIRECTORY) {
        olv_fail(&o->error, OLV_REFUSED, "directories are not deleted by this version");
        o->result = OLV_LEFT;
        return;
    }
    olv_act_label(label, c, c->sequence);
    if (olv_act_is_allowed(c, e, o) && olv_act_remove(c, &c->source, e, label, e->links < 2, o))
        o->result = OLV_DONE;
}

/* Somebody else may have removed it: that it is gone says nothing by itself. */
static enum olv_truth settle_ending(struct olv_act_context *c, const struct olv_docket_entry *e,
                                    struct olv_outcome *o)
{
    char label[FRESH_LABEL];
    enum olv_truth is_there;
    olv_act_label(label, c, c->sequence);
    stage_settle(c->source.fd, e->name, label, &e->identity, c->observer);
    is_there = olv_act_is_there(c, e);
    o->result = OLV_DONE;
    if (is_there == OLV_YES || c->trace == OLV_TRACE_NOT_DONE)
        return OLV_NO;
    return is_there == OLV_NO && c->trace == OLV_TRACE_DONE ? OLV_YES : OLV_UNKNOWN;
}

static const struct hooks ending = {.needs = NEEDS_NOTE, .apply = end, .settle_entry = settle_ending};

const struct source source_tree = {.ways = {[OLV_END] = &ending}};
