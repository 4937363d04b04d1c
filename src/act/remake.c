/* SPDX-License-Identifier: Apache-2.0 */
/* remake: the inverse of sweep. Makes an empty directory at the entry's target, in a private room, so that it
 * gets its name as it was. The one above it, if this run made that, keeps the time it got. */
#include "act/acts.h"
#include "act/sweep.h"
#include "base/inodes.h"
#include "file/attributes.h"
#include "file/remaking.h"
#include "file/room.h"
#include "os/os.h"
#include "source/destination.h"
#include "source/judged.h"

#include <errno.h>
#include <stdlib.h>

/* What this run made. */
struct made {
    struct inode inode; /* first member */
    struct made *next;
};

struct remaking {
    struct inodes inodes;
    struct made *list; /* owned */
};

static bool remember(struct remaking *r, int fd, struct olv_error *err)
{
    struct made *made = malloc(sizeof *made);
    struct olv_stat stat;
    if (!made || !olv_os_stat(fd, "", &stat)) {
        free(made);
        return olv_fail_memory(err);
    }
    *made = (struct made){{stat.device, stat.inode}, r->list};
    r->list = made;
    return inodes_add(&r->inodes, &made->inode) || olv_fail_memory(err);
}

static bool finish(void *self, int fd, struct olv_error *err)
{
    const struct sweep_arguments *how = self;
    return remaking_apply(fd, how->state, err);
}

static bool make(struct turn *turn, const struct olv_docket_entry *e, int above, const char *name,
                 struct olv_error *err)
{
    struct remaking *r = turn_state(turn, sizeof *r);
    struct sweep_arguments how = *(const struct sweep_arguments *)e->arguments;
    char label[FRESH_LABEL];
    struct olv_stat before;
    bool ok;
    int fd;
    if (!r)
        return olv_fail_memory(err);
    if (!olv_os_stat(above, "", &before))
        return olv_fail_system(err, "", "cannot look at the directory above it");
    turn_label(label, turn, turn->sequence);
    fd = room_make_directory(above, name, label, finish, &how, err);
    if (fd < 0)
        return false;
    ok = remember(r, fd, err) && judged_changed(turn, fd, err);
    olv_os_close(fd);
    return ok && (!inodes_find(&r->inodes, before.device, before.inode) ||
                  attributes_set_times(above, &before, err));
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const char *name;
    int above = destination_open(e->target, &name, &o->error);
    if (above >= 0 && destination_is_allowed(turn, e, above, name, o) &&
        make(turn, e, above, name, &o->error)) {
        destination_note(o, &turn->scratch.placed, e->target, name);
        destination_touch(turn, above);
        o->result = OLV_DONE;
    } else if (o->result == OLV_PENDING) {
        if (o->error.sys == EEXIST)
            olv_fail(&o->error, OLV_CHANGED, "something has its name by now, so it is not made again");
        outcome_failed(o);
    }
    olv_os_close(above);
}

/* After a crash: what was being made goes, and what has its name as it was is done. */
static enum olv_truth applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct sweep_arguments *how = e->arguments;
    char label[FRESH_LABEL];
    struct olv_error ignored = {0};
    struct olv_stat stat;
    const char *name;
    int above = destination_open(e->target, &name, &ignored);
    enum olv_truth answer = OLV_UNKNOWN;
    if (above < 0)
        return olv_os_is_absent(ignored.sys) ? OLV_NO : OLV_UNKNOWN;
    turn_label(label, turn, turn->sequence);
    room_settle(above, label);
    if (olv_os_stat(above, name, &stat))
        answer = remaking_is_like(how->state, &stat) ? OLV_YES : OLV_UNKNOWN;
    else if (errno == ENOENT)
        answer = OLV_NO;
    if (answer == OLV_YES) {
        destination_note(o, &turn->scratch.placed, e->target, name);
        o->result = OLV_DONE;
    }
    olv_os_close(above);
    return answer;
}

static void free_state(void *state)
{
    struct remaking *r = state;
    if (!r)
        return; /* only settled */
    inodes_free(&r->inodes);
    for (struct made *next; r->list; r->list = next) {
        next = r->list->next;
        free(r->list);
    }
    free(r);
}

static const struct hooks hooks = {.apply = apply, .applied = applied, .free_state = free_state};

static const struct olv_key keys[] = {{.name = "state",
                                       .type = OLV_KEY_TEXT,
                                       .at = offsetof(struct sweep_arguments, state),
                                       .by = OLV_BY_NOBODY},
                                      {0}};

const struct olv_act act_remake = {.word = "remake",
                                   .past = "made again",
                                   .wire = 16,
                                   .traits = OLV_TOUCHES | OLV_BY_HAND_ONLY,
                                   .destination = OLV_BACK,
                                   .keys = keys,
                                   .arguments = sizeof(struct sweep_arguments),
                                   .hooks = &hooks};
