/* SPDX-License-Identifier: Apache-2.0 */
/* recover: from the trash back to where it was. Directories that have gone meanwhile are made again; what
 * stands at the destination is not replaced unless that was asked for. */
#include "act/act.h"
#include "act/destination.h"

#include "file/identity.h"
#include "file/parents.h"
#include "file/place.h"
#include "os/os.h"

#include <errno.h>
#include <limits.h>
#include <unistd.h>

static int make_directory(struct olv_act_context *c, const struct olv_docket_entry *e, const char *directory,
                          struct olv_error *err)
{
    char label[FRESH_LABEL];
    struct olv_stat stat;
    olv_error_clear(err);
    olv_act_label(label, c, c->sequence);
    if (olv_os_stat(c->source.fd, e->name, &stat))
        return parents_open(directory, &stat, label, err);
    olv_fail_system(err, e->name, "looking at it again");
    return -1;
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char copy[PATH_MAX], placed[NAME_MAX + 1];
    const char *name;
    int fd;
    if (!olv_act_verify(c->source.fd, e->name, e, true, o))
        return;
    fd = destination_open(e->target, copy, sizeof copy, &name, &o->error);
    if (fd < 0 && o->error.sys == ENOENT)
        fd = make_directory(c, e, copy, &o->error);
    if (fd >= 0 && destination_is_allowed(c, e, fd, name, o) &&
        olv_trash_take(c->trash, e->name, fd, name, e->if_exists, placed, &o->error)) {
        o->result = OLV_DONE;
        destination_note(o, &c->placed, copy, placed);
        destination_touch(c, fd);
    } else if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP) {
        o->result = OLV_LEFT;
    } else if (o->result != OLV_DENIED) {
        olv_act_unsuccessful(o);
    }
    if (fd >= 0)
        close(fd);
}

/* The file is known before it has its name, for it lies in the trash. */
static bool announce(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_stat stat = {
        .inode = e->identity.inode, .has_born = e->identity.has_born, .born = e->identity.born};
    return givens_add(c->givens, c->sequence, e->target, &stat, true, err);
}

/* A move by linking and unlinking may have stopped in between: then the new name goes. */
static enum olv_truth settle_entry(struct olv_act_context *c, const struct olv_docket_entry *e,
                                   struct olv_outcome *o)
{
    char copy[PATH_MAX], label[FRESH_LABEL], placed[NAME_MAX + 1];
    struct olv_act_search s;
    struct olv_error ignored = {0};
    enum olv_truth is_there = olv_act_is_there(c, e);
    const char *name;
    int fd = destination_open(e->target, copy, sizeof copy, &name, &ignored);
    enum olv_truth found = OLV_NO;
    olv_act_label(label, c, c->sequence);
    parents_settle(copy, label);
    o->result = OLV_DONE;
    if (!olv_act_search_for(&s, c, e, label, fd >= 0 ? name : "", &o->error)) {
        if (fd >= 0)
            close(fd);
        return OLV_UNKNOWN;
    }
    if (fd >= 0) {
        found = fresh_find(fd, &s.search, placed);
        if (found == OLV_YES && is_there == OLV_YES)
            unlinkat(fd, placed, 0);
        else if (found == OLV_YES)
            destination_note(o, &c->placed, copy, placed);
        if (is_there == OLV_YES && e->if_exists == OLV_SET_ASIDE)
            olv_place_settle(fd, name);
        close(fd);
    }
    if (is_there == OLV_YES)
        return OLV_NO;
    if (found == OLV_YES && is_there == OLV_NO)
        olv_trash_abandon(c->trash, e->name);
    return found == OLV_YES ? OLV_YES : OLV_UNKNOWN;
}

const struct olv_act olv_act_recover = {
    .id = OLV_ACT_RECOVER,
    .result = "done",
    .is_touching = true,
    .needs_trash = true,
    .needs_givens = true,
    .asks_by_itself = true,
    .find_trash = olv_act_trash_of_item,
    .announce = announce,
    .apply = apply,
    .settle = olv_act_store_trash,
    .settle_entry = settle_entry,
};
