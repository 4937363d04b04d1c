/* SPDX-License-Identifier: Apache-2.0 */
/* The trash as a place. Giving: back to the original place; recreates missing directories, and replaces an
 * existing destination only if asked. Ending: removes the item first and its info file last, so that an
 * interrupted removal still says what it was. */
#include "source/hooks.h"

#include "source/destination.h"

#include "file/identity.h"
#include "file/parents.h"
#include "file/rename.h"
#include "os/files.h"
#include "os/os.h"
#include "source/ending.h"
#include "source/halves.h"
#include "source/judged.h"
#include "source/records.h"
#include "source/settling.h"

#include <errno.h>
#include <limits.h>
#include <unistd.h>

/* ---- giving ---- */

static int trash_make_directory(struct turn *turn, const struct olv_docket_entry *e, struct olv_error *err)
{
    char label[FRESH_LABEL];
    struct olv_stat stat;
    olv_error_clear(err);
    turn_label(label, turn, turn->sequence);
    if (olv_os_stat(turn->directory.fd, e->name, &stat))
        return parents_open(e->target, &stat, label, err);
    olv_fail_system(err, e->name, "looking at it again");
    return -1;
}

/* A directory takes only what belongs to the project that it hands down: the item is lent that one for the
 * moment of the rename. */
static bool take_as_of_its_project(struct turn *turn, const struct olv_docket_entry *e, int dir,
                                   const char *name, char placed[NAME_MAX + 1],
                                   const struct rename_witness *witness, struct olv_error *err)
{
    int fd = judged_open(&turn->directory, e, &(struct olv_outcome){0});
    uint32_t own, there;
    bool ok = fd >= 0 && olv_os_project(fd, &own) && olv_os_project(dir, &there) && own != there &&
              olv_os_set_project(fd, there);
    if (ok) {
        olv_error_clear(err);
        ok = olv_trash_take(turn->trash, e->name, dir, name, e->if_exists, witness, placed, err);
        if (!olv_os_set_project(fd, own) && ok)
            olv_observe_unreadable(turn->session->options.observer, e->target,
                                   "it is back, but counts for the project of its directory now", errno);
    }
    olv_os_close(fd);
    return ok;
}

static void trash_give(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char placed[NAME_MAX + 1];
    struct halves_witness witness;
    const char *name;
    int fd;
    if (!judged_verify(turn->directory.fd, e->name, e, true, o))
        return;
    fd = destination_open(e->target, &name, &o->error);
    if (fd < 0 && o->error.sys == ENOENT)
        fd = trash_make_directory(turn, e, &o->error);
    if (fd >= 0 && destination_is_allowed(turn, e, fd, name, o) &&
        (olv_trash_take(turn->trash, e->name, fd, name, e->if_exists,
                        halves_begin(&witness, turn, RENAME_THERE), placed, &o->error) ||
         (o->error.sys == EXDEV &&
          take_as_of_its_project(turn, e, fd, name, placed, halves_begin(&witness, turn, RENAME_THERE),
                                 &o->error)))) {
        o->result = OLV_DONE;
        destination_note(o, &turn->scratch.placed, e->target, placed);
        destination_touch(turn, fd);
    } else if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP) {
        o->result = OLV_LEFT;
    } else if (o->result != OLV_DENIED) {
        outcome_failed(o);
    }
    olv_os_close(fd);
}

/* Recorded before it gets its name, because it lies in the trash. */
static bool trash_announce(struct turn *turn, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_stat stat = {
        .inode = e->identity.inode, .has_born = e->identity.has_born, .born = e->identity.born};
    return record_name(turn, turn->sequence, e->target, &stat, true, err);
}

/* Of a file with other names, one that looks the same may be no work of ours: then the number of its names
 * tells whether the item became one of them, or was removed by somebody. To replace one of them is to remove
 * the item. */
static bool has_as_many_names(int dir, const char *placed, const struct olv_docket_entry *e)
{
    struct olv_stat stat;
    return olv_os_stat(dir, placed, &stat) &&
           (stat.links >= e->links || e->if_exists == OLV_REPLACE || e->identity.kind == OLV_KIND_DIRECTORY);
}

/* The item went, and its info file with it, unless another item has that name by now. */
static void drop_info(struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_stat stat;
    if (!olv_os_stat(turn->trash->files, e->name, &stat) && errno == ENOENT)
        olv_trash_abandon(turn->trash, e->name);
}

static enum olv_truth giving_applied(struct turn *turn, const struct olv_docket_entry *e,
                                     struct olv_outcome *o)
{
    char label[FRESH_LABEL], placed[NAME_MAX + 1];
    struct settling_search s;
    struct olv_error ignored = {0};
    const char *name;
    int fd = destination_open(e->target, &name, &ignored);
    enum olv_truth found = OLV_NO, is_there;
    if (fd >= 0) {
        halves_settle(turn, RENAME_THERE, turn->trash->files, fd, NULL);
        halves_settle(turn, RENAME_ASIDE, fd, fd, NULL);
    }
    is_there = settling_is_there(turn, e);
    turn_label(label, turn, turn->sequence);
    parents_finish(e->target, label);
    o->result = OLV_DONE;
    if (is_there == OLV_NO && fd >= 0) {
        if (!settling_search_for(&s, turn, e, label, name, &o->error))
            found = OLV_UNKNOWN;
        else if ((found = fresh_find(fd, &s.search, placed)) == OLV_YES)
            found = has_as_many_names(fd, placed, e) ? OLV_YES : OLV_UNKNOWN;
    }
    olv_os_close(fd);
    if (is_there == OLV_YES)
        return OLV_NO;
    if (found != OLV_YES)
        return OLV_UNKNOWN;
    destination_note(o, &turn->scratch.placed, e->target, placed);
    drop_info(turn, e);
    return OLV_YES;
}

/* ---- ending ---- */

/* An info file with nothing in `files/` has no identity to compare. */
static bool is_lost(const struct olv_docket_entry *e)
{
    return e->identity.kind == OLV_KIND_UNKNOWN;
}

static bool trash_end(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                      struct olv_outcome *o)
{
    struct ending_overwriting self;
    struct unlinking how = ending_manner(&self, turn, e);
    if (!is_lost(e) && !judged_verify(at->fd, e->name, e, true, o))
        return false;
    if (olv_trash_remove(turn->trash, e->name, e->identity.kind, &how, &o->error))
        return true;
    ending_failed(&self, o);
    return false;
}

static void trash_apply_ending(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (ending_end(turn, &turn->directory, e, o))
        o->result = OLV_DONE;
}

/* The info file goes last: an info file without its item means the removal was ours. */
static enum olv_truth trash_ending_applied(struct turn *turn, const struct olv_docket_entry *e,
                                           struct olv_outcome *o)
{
    struct olv_stat stat;
    bool is_there = olv_os_stat(turn->trash->files, e->name, &stat), is_gone = !is_there && errno == ENOENT;
    o->result = OLV_DONE;
    if (is_there && (e->identity.kind == OLV_KIND_DIRECTORY || e->act->manner) && ending_was_begun(turn, e)) {
        olv_fail(&o->error, OLV_SYSTEM, "%s when the run was cut short",
                 e->act->manner ? "it may have been overwritten" : "a part of it was removed");
        o->result = OLV_FAILED;
        return OLV_YES;
    }
    if (is_there)
        return OLV_NO;
    if (!is_gone || (turn->crash.trace != OLV_TRACE_DONE && !olv_trash_has_info(turn->trash, e->name)))
        return OLV_UNKNOWN;
    olv_trash_abandon(turn->trash, e->name);
    return OLV_YES;
}

static const struct hooks giving = {.needs = NEEDS_TRASH | NEEDS_REGISTER | ASKS_ITSELF,
                                    .find_trash = judged_trash_of_item,
                                    .announce = trash_announce,
                                    .apply = trash_give,
                                    .applied = giving_applied};

static const struct hooks ending = {.needs = NEEDS_TRASH | NEEDS_NOTE,
                                    .find_trash = judged_trash_of_item,
                                    .apply = trash_apply_ending,
                                    .applied = trash_ending_applied};

const struct source source_trash = {
    .ways = {[OLV_GIVE] = &giving, [OLV_END] = &ending}, .end = trash_end, .is_item = true};
