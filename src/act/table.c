/* SPDX-License-Identifier: Apache-2.0 */
/* The acts, and what they have in common. `keep` has no line: it does nothing, so it never comes into a
 * docket. */
#include "act/act.h"

#include "file/identity.h"
#include "os/os.h"

#include <errno.h>

static const struct olv_act *const acts[] = {&olv_act_tell, &olv_act_discard, &olv_act_recover};

const struct olv_act *olv_act_find(enum olv_act_id id)
{
    for (size_t i = 0; i < sizeof acts / sizeof *acts; i++)
        if (acts[i]->id == id)
            return acts[i];
    return NULL;
}

bool olv_act_sync_trash(struct olv_act_context *context, struct olv_error *err)
{
    return olv_trash_sync(context->trash, err);
}

void olv_act_unsuccessful(struct olv_outcome *outcome)
{
    enum olv_code code = outcome->error.code;
    outcome->result = code == OLV_CHANGED ? OLV_LEFT : code == OLV_EXISTS ? OLV_DENIED : OLV_FAILED;
}

bool olv_act_verify(int dir, const char *name, const struct olv_docket_entry *entry, bool with_changed,
                    struct olv_outcome *outcome)
{
    struct olv_error *err = &outcome->error;
    struct olv_stat stat;
    if (!olv_os_stat(dir, name, &stat)) {
        bool is_gone = errno == ENOENT;
        olv_fail_system(err, name, is_gone ? "it is gone" : "looking at it again");
        if (is_gone)
            olv_error_as(err, OLV_CHANGED);
    } else if (!olv_identity_holds(&entry->identity, &stat, with_changed)) {
        olv_fail(err, OLV_CHANGED, "it changed since it was judged");
    } else {
        return true;
    }
    olv_act_unsuccessful(outcome);
    return false;
}
