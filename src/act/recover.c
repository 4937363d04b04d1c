/* SPDX-License-Identifier: Apache-2.0 */
/* recover: from the trash back to where it was. Directories that have gone meanwhile are made again; what
 * stands at the destination is not replaced unless that was asked for. */
#include "act/act.h"
#include "act/destination.h"

#include "file/identity.h"
#include "os/os.h"

#include <limits.h>
#include <unistd.h>

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char copy[PATH_MAX], placed[NAME_MAX + 1];
    const char *name;
    int fd;
    if (!olv_act_verify(c->source.fd, e->name, e, true, o))
        return;
    fd = destination_open(e->target, copy, sizeof copy, &name, &o->error);
    if (fd >= 0 && destination_is_allowed(c, e, fd, name, o) &&
        olv_trash_take(c->trash, e->name, fd, name, e->if_exists, placed, &o->error)) {
        o->result = OLV_DONE;
        destination_note(c, copy, fd, placed);
        destination_touch(c, fd);
    } else if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP) {
        o->result = OLV_LEFT;
    } else if (o->result != OLV_DENIED) {
        olv_act_unsuccessful(o);
    }
    if (fd >= 0)
        close(fd);
}

static bool was_applied(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char copy[PATH_MAX];
    const char *name;
    struct olv_stat stat;
    int fd = destination_open(e->target, copy, sizeof copy, &name, &o->error);
    bool is_there = fd >= 0 && olv_os_stat(fd, name, &stat) && olv_identity_survived(&e->identity, &stat);
    if (is_there)
        destination_note(c, copy, fd, name);
    if (fd >= 0)
        close(fd);
    o->result = OLV_DONE;
    return is_there;
}

const struct olv_act olv_act_recover = {
    .id = OLV_ACT_RECOVER,
    .result = "done",
    .is_touching = true,
    .needs_trash = true,
    .find_trash = olv_act_trash_of_item,
    .apply = apply,
    .settle = olv_act_store_trash,
    .was_applied = was_applied,
};
