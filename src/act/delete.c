/* SPDX-License-Identifier: Apache-2.0 */
/* delete: unlinked, and not recoverable by Olvido. */
#include "act/act.h"

#include "file/stage.h"
#include "os/os.h"

#include <errno.h>

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char label[FRESH_LABEL];
    if (e->identity.kind == OLV_KIND_DIRECTORY) {
        olv_fail(&o->error, OLV_REFUSED, "directories are not deleted by this version");
        o->result = OLV_LEFT;
        return;
    }
    olv_act_label(label, c->run, c->sequence);
    if (olv_act_is_allowed(c, e, o) && olv_act_remove(&c->source, e, label, e->links < 2, o))
        o->result = OLV_DONE;
}

static bool was_applied(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char label[FRESH_LABEL];
    struct olv_stat stat;
    olv_act_label(label, c->run, c->sequence);
    stage_settle(c->source.fd, e->name, label);
    o->result = OLV_DONE;
    return !olv_os_stat(c->source.fd, e->name, &stat) && errno == ENOENT;
}

const struct olv_act olv_act_delete = {
    .id = OLV_ACT_DELETE,
    .result = "done",
    .is_touching = true,
    .apply = apply,
    .was_applied = was_applied,
};
