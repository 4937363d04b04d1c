/* SPDX-License-Identifier: Apache-2.0 */
/* clear: removes an item of the trash for good. The item goes first, its info file last, so that a removal
 * that was cut short still says what it was about. */
#include "act/act.h"

#include "file/identity.h"
#include "os/os.h"

#include <errno.h>

/* An info file without anything in `files/` has no identity to compare. */
static bool is_lost(const struct olv_docket_entry *e)
{
    return e->identity.kind == OLV_KIND_UNKNOWN;
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (!is_lost(e) && !olv_act_verify(c->source.fd, e->name, e, true, o))
        return;
    if (olv_trash_remove(c->trash, e->name, e->identity.kind, &o->error))
        o->result = OLV_DONE;
    else
        olv_act_unsuccessful(o);
}

/* The info file goes last: where it is there without its item, the removal was ours. */
static enum olv_truth settle_entry(struct olv_act_context *c, const struct olv_docket_entry *e,
                                   struct olv_outcome *o)
{
    struct olv_stat stat;
    bool is_there = olv_os_stat(c->trash->files, e->name, &stat), is_gone = !is_there && errno == ENOENT;
    o->result = OLV_DONE;
    if (is_there && e->identity.kind == OLV_KIND_DIRECTORY && c->trace == OLV_TRACE_BEGUN) {
        olv_fail(&o->error, OLV_SYSTEM, "a part of it was removed when the run was cut short");
        o->result = OLV_FAILED;
        return OLV_YES;
    }
    if (is_there)
        return OLV_NO;
    if (!is_gone || (c->trace != OLV_TRACE_DONE && !olv_trash_has_info(c->trash, e->name)))
        return OLV_UNKNOWN;
    olv_trash_abandon(c->trash, e->name);
    return OLV_YES;
}

const struct olv_act olv_act_clear = {
    .id = OLV_ACT_CLEAR,
    .result = "done",
    .is_touching = true,
    .needs_trash = true,
    .leaves_no_trace = true,
    .asks_by_itself = true,
    .find_trash = olv_act_trash_of_item,
    .apply = apply,
    .settle = olv_act_store_trash,
    .settle_entry = settle_entry,
};
