/* SPDX-License-Identifier: Apache-2.0 */
/* delete: unlinked, and not recoverable by Olvido. */
#include "act/act.h"

#include "file/stage.h"

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
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
static enum olv_truth settle_entry(struct olv_act_context *c, const struct olv_docket_entry *e,
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

const struct olv_act olv_act_delete = {
    .id = OLV_ACT_DELETE,
    .result = "done",
    .is_touching = true,
    .leaves_no_trace = true,
    .apply = apply,
    .settle_entry = settle_entry,
};
