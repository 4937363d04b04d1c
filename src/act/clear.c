/* SPDX-License-Identifier: Apache-2.0 */
/* clear: removes an item of the trash for good. The item goes first, its info file last, so that a removal
 * that was cut short still says what it was about. */
#include "act/act.h"

#include "file/identity.h"
#include "os/os.h"

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

static bool was_applied(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct olv_stat stat;
    if (olv_os_stat(c->trash->files, e->name, &stat))
        return false;
    olv_trash_remove(c->trash, e->name, OLV_KIND_UNKNOWN, &o->error); /* its info file, if that is left */
    o->result = OLV_DONE;
    return true;
}

const struct olv_act olv_act_clear = {
    .id = OLV_ACT_CLEAR,
    .result = "done",
    .is_touching = true,
    .needs_trash = true,
    .find_trash = olv_act_trash_of_item,
    .apply = apply,
    .settle = olv_act_store_trash,
    .was_applied = was_applied,
};
