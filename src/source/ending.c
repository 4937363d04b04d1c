/* SPDX-License-Identifier: Apache-2.0 */
#include "source/ending.h"

#include "depot/same.h"
#include "file/attributes.h"
#include "file/identity.h"
#include "file/removal.h"
#include "file/tree.h"
#include "os/files.h"
#include "os/os.h"
#include "scan/scan.h"
#include "source/asking.h"
#include "source/judged.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

/* ---- the manner ---- */

static bool overwrite_open(struct ending_overwriting *o, int fd, struct olv_error *err)
{
    const struct olv_act *act = o->entry->act;
    struct olv_stat stat;
    struct olv_error ignored = {0};
    bool ok;
    if (!olv_os_stat(fd, "", &stat))
        return olv_fail_system(err, "", "cannot look at it before it is overwritten");
    if (o->entry->identity.kind == OLV_KIND_FILE && !olv_identity_remains(&o->entry->identity, &stat))
        return olv_fail(err, OLV_CHANGED, "another file took its name");
    if (stat.links > 1)
        return olv_fail(err, OLV_REFUSED, "it has %llu names (hard links), which would lose their contents",
                        (unsigned long long)stat.links);
    o->has_begun = true;
    ok = act->manner->overwrite(o->entry->arguments, fd, stat.size_bytes, o->observer, err);
    /* its rule goes on counting from the time that it had, if it stays */
    return attributes_set_times(fd, &stat, ok ? err : &ignored) && ok &&
           (fsync(fd) == 0 || olv_fail_system(err, "", "cannot sync what was overwritten"));
}

static bool overwrite(void *self, int dir, const char *name, struct olv_error *err)
{
    struct olv_stat stat;
    int fd;
    bool ok;
    if (olv_os_stat(dir, name, &stat) && stat.kind != OLV_KIND_FILE)
        return true; /* it has no contents */
    fd = openat(dir, name, O_RDWR | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    if (fd < 0)
        return olv_fail_system(err, name, "cannot open it to overwrite it");
    ok = overwrite_open(self, fd, err);
    close(fd);
    return ok;
}

struct unlinking ending_manner(struct ending_overwriting *self, const struct turn *turn,
                               const struct olv_docket_entry *e)
{
    *self = (struct ending_overwriting){turn->session->options.observer, e, false};
    return (struct unlinking){e->act->manner ? overwrite : NULL, self};
}

void ending_put_manner(const struct olv_docket_entry *e, struct olv_text *out)
{
    olv_text_clear(out);
    if (!e->act->manner)
        return;
    wire_put(out, e->act->wire, 1);
    keys_put(e->act, e->arguments, out);
}

/* ---- from an open directory ---- */

static bool enter_room(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                       struct olv_error *err)
{
    char label[FRESH_LABEL];
    struct stage_place place = {at->fd, at->device, at->inode, label};
    if (stage_is_at(&turn->ending.stage, &place))
        return true;
    turn_room_label(label, turn, e);
    return stage_enter(&turn->ending.stage, &place, turn->session->options.observer, err);
}

/* Where nobody else can write, it does without a room if none can be made (a full disk): what remains is the
 * moment between comparing and unlinking. */
static bool unlink_in(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                      struct unlinking how, struct olv_error *err)
{
    bool has_room = enter_room(turn, at, e, err);
    if (has_room && stage_remove(&turn->ending.stage, e->name, &e->identity, &how, err))
        return true;
    if (has_room ? err->sys != EXDEV : !at->is_ours)
        return false;
    if (has_room) /* its project fits into no room there */
        olv_os_note_other_project();
    olv_error_clear(err);
    return unlinking_begin(&how, at->fd, e->name, err) &&
           (unlinkat(at->fd, e->name, 0) == 0 || olv_fail_system(err, "", "cannot remove the original"));
}

void ending_failed(const struct ending_overwriting *self, struct olv_outcome *o)
{
    const struct olv_error why = o->error;
    outcome_failed(o);
    if (why.code == OLV_REFUSED)
        o->result = OLV_LEFT;
    if (!self->has_begun)
        return;
    olv_fail(&o->error, why.code, "it was overwritten, in part or as a whole, but not removed: %.200s",
             why.what);
    o->error.sys = why.sys;
    o->result = OLV_FAILED;
}

bool ending_unlink(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                   struct olv_outcome *o)
{
    struct ending_overwriting self;
    struct unlinking how = ending_manner(&self, turn, e);
    if (!judged_verify(at->fd, e->name, e, true, o))
        return false;
    if (unlink_in(turn, at, e, how, &o->error))
        return true;
    ending_failed(&self, o);
    return false;
}

/* It is in the room; what is left of it comes back. */
static bool remove_staged_tree(const struct turn *turn, const struct olv_docket_entry *e,
                               struct olv_outcome *o)
{
    const struct stage *stage = &turn->ending.stage;
    struct ending_overwriting self;
    struct unlinking how = ending_manner(&self, turn, e);
    struct olv_error why = {0};
    bool was_same = judged_verify_contents(turn, stage->room.dir, e->name, false, e, o);
    if (was_same && olv_tree_remove(stage->room.dir, e->name, e->identity.kind, &how, &o->error))
        return true;
    if (was_same) {
        why = o->error;
        olv_fail(&o->error, why.code, "a part of it may be gone: %.200s%s%.60s", why.what,
                 *why.path ? ", " : "", why.path);
        o->error.sys = why.sys;
        o->result = OLV_FAILED;
        olv_error_clear(&why);
    }
    if (!stage_return(stage, e->name, &why))
        o->error = why;
    return false;
}

/* Its project fits into no room there. */
static bool remove_where_it_lies(struct turn *turn, const struct olv_reach *at,
                                 const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct ending_overwriting self;
    struct unlinking how = ending_manner(&self, turn, e);
    olv_os_note_other_project();
    olv_error_clear(&o->error);
    if (judged_verify(at->fd, e->name, e, true, o) &&
        olv_tree_remove(at->fd, e->name, e->identity.kind, &how, &o->error))
        return true;
    if (o->result == OLV_PENDING)
        o->result = OLV_FAILED;
    return false;
}

bool ending_remove_tree(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                        struct olv_outcome *o)
{
    if (!judged_verify(at->fd, e->name, e, true, o) ||
        !judged_verify_contents(turn, at->fd, e->name, true, e, o))
        return false;
    if (enter_room(turn, at, e, &o->error) &&
        stage_take(&turn->ending.stage, e->name, &e->identity, &o->error))
        return remove_staged_tree(turn, e, o);
    if (o->error.sys == EXDEV)
        return remove_where_it_lies(turn, at, e, o);
    outcome_failed(o);
    return false;
}

void ending_settle(const struct turn *turn, const struct olv_docket_entry *e)
{
    char label[FRESH_LABEL];
    turn_room_label(label, turn, e);
    stage_settle(turn->directory.fd, e->name, label, &e->identity, turn->session->options.observer);
}

bool ending_was_begun(const struct turn *turn, const struct olv_docket_entry *e)
{
    return e->act->manner ? turn->crash.trace != OLV_TRACE_NONE : turn->crash.trace == OLV_TRACE_BEGUN;
}

struct emptied {
    struct olv_instant youngest, due; /* changed after the one: gets the other as its time */
    uint64_t device;
};

/* A directory in it that has been emptied in part: what is in it counts with its own times. */
static void keep_due_inside(void *self, unsigned worker, struct olv_scan_entry *entry)
{
    const struct emptied *m = self;
    struct olv_error ignored = {0};
    struct olv_stat stat;
    int fd = entry->kind == OLV_KIND_DIRECTORY ? olv_os_open_dir(entry->dir_fd, entry->name, true) : -1;
    (void)worker;
    if (fd >= 0 && olv_os_stat(fd, "", &stat) && stat.device == m->device &&
        olv_instant_compare(stat.modified, m->youngest) > 0) {
        stat.modified = m->due;
        attributes_set_times(fd, &stat, &ignored);
    }
    olv_os_close(fd);
}

static void keep_tree_due(int dir, const struct olv_docket_entry *e, const struct olv_stat *stat)
{
    struct emptied emptied = {e->contents.youngest, e->identity.modified, stat->device};
    struct olv_scan_visitor visitor = {.self = &emptied, .visit = keep_due_inside};
    struct olv_error ignored = {0};
    if (e->contents.entries)
        olv_scan_in(dir, e->name, &visitor, NULL, &ignored);
}

void ending_keep_due(const struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_error ignored = {0}; /* then it is due later */
    struct olv_stat stat;
    int fd = e->identity.kind == OLV_KIND_DIRECTORY ? olv_os_open_dir(turn->directory.fd, e->name, true)
                                                    : olv_os_open_file(turn->directory.fd, e->name);
    if (fd >= 0 && olv_os_stat(fd, "", &stat) && olv_identity_remains(&e->identity, &stat)) {
        if (stat.kind == OLV_KIND_DIRECTORY)
            keep_tree_due(turn->directory.fd, e, &stat);
        stat.modified = e->identity.modified;
        attributes_set_times(fd, &stat, &ignored);
    }
    olv_os_close(fd);
}

/* ---- by its place ---- */

static bool use_leave(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct leave *leave = &turn->ending.leave;
    bool is_given = leave->is_given && leave->mount == e->identity.mount &&
                    leave->inode == e->identity.inode && strcmp(leave->name, e->name) == 0;
    leave->is_given = false;
    if (is_given)
        return true;
    olv_fail(&o->error, OLV_SYSTEM, "nobody asked right before whether it may go");
    o->result = OLV_FAILED;
    return false;
}

bool ending_end(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                struct olv_outcome *o)
{
    int fd;
    bool ok;
    if (!use_leave(turn, e, o))
        return false;
    fd = own_change_begin(at, e);
    ok = source_of(e)->end(turn, at, e, o);
    own_change_end(turn, fd, ok);
    return ok;
}

/* Whoever opens it for writing from now on waits until the lease is released, and is noticed. */
static bool watch(int fd, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (olv_os_watch(fd) == OLV_NO) {
        olv_fail(&o->error, OLV_CHANGED, "it is open for writing");
        outcome_failed(o);
        return false;
    }
    return judged_verify(fd, "", e, true, o);
}

bool ending_end_unused(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    bool is_file = e->identity.kind == OLV_KIND_FILE, ok = true;
    int fd = is_file ? olv_os_open_file(turn->directory.fd, e->name) : -1;
    if (fd >= 0) {
        ok = watch(fd, e, o);
    } else if (is_file && errno != EACCES) { /* one that cannot be opened cannot be asked about */
        ok = false;
        olv_fail_system(&o->error, e->name, "opening it once more");
        if (o->error.sys == ENOENT)
            olv_error_as(&o->error, OLV_CHANGED);
        outcome_failed(o);
    }
    ok = ok && ending_end(turn, &turn->directory, e, o);
    olv_os_close(fd);
    return ok;
}

/* ---- without an entry ---- */

/* In the manner that was meant. */
static bool unlink_archive(const struct olv_session *session, int depot,
                           const struct olv_unfinished_archive *u, struct olv_error *err)
{
    struct olv_arena arena = {0};
    struct wire wire = {.bytes = u->manner, .len = u->manner_len, .arena = &arena};
    const struct olv_act *act = u->manner_len ? olv_act_of_wire((uint8_t)wire_get(&wire, 1)) : NULL;
    const struct olv_docket_entry e = {.act = act, .arguments = act ? keys_get(act, &wire) : NULL};
    struct ending_overwriting self = {session->options.observer, &e, false};
    const struct unlinking how = {act && act->manner ? overwrite : NULL, &self};
    bool ok = u->manner_len == 0 || (how.before && !wire.is_broken) ||
              olv_fail(err, OLV_SYSTEM, "this version does not know how it is to end");
    ok = ok && unlinking_begin(&how, depot, u->name, err) &&
         (removal_unlink(REMOVAL_GOING, depot, u->name) == 0 ||
          olv_fail_system(err, u->name, "cannot remove it"));
    olv_arena_free(&arena);
    return ok;
}

/* One that was being overwritten is no archive any more: then its length and its inode (which the caller has
 * compared, with its birth time) must do. */
static bool is_same(const struct olv_session *session, const struct olv_unfinished_archive *u, int fd,
                    struct olv_error *err)
{
    struct olv_stat stat;
    return same_archive(session->catalogue, u->archive, fd, err) ||
           (u->manner_len && err->code == OLV_BROKEN && u->has_born && olv_os_stat(fd, "", &stat) &&
            stat.size_bytes == u->length);
}

enum olv_truth ending_end_archive(const struct olv_session *session, int depot,
                                  const struct olv_unfinished_archive *u, struct olv_error *err)
{
    int fd = olv_os_open_file(depot, u->name);
    bool is_it = fd >= 0 ? is_same(session, u, fd, err) : olv_fail_system(err, u->name, "cannot open it");
    enum olv_truth held = is_it ? ask_about_archive(session, u->archive, err) : OLV_UNKNOWN;
    olv_os_close(fd);
    if (!is_it)
        return err->sys ? OLV_UNKNOWN : OLV_NO;
    if (held == OLV_YES)
        return olv_fail(err, OLV_REFUSED, "something in it is held"), OLV_NO;
    if (held == OLV_UNKNOWN)
        return olv_fail(err, OLV_SYSTEM, "cannot find out whether something in it is held"), OLV_UNKNOWN;
    return unlink_archive(session, depot, u, err) ? OLV_YES : OLV_UNKNOWN;
}
