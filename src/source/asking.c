/* SPDX-License-Identifier: Apache-2.0 */
#include "source/asking.h"

#include "depot/catalogue.h"
#include "file/changes.h"
#include "file/protection.h"
#include "os/os.h"
#include "scan/contents.h"
#include "source/records.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>

/* ---- guards ---- */

/* `place`: the entry's directory; of a directory its own path. */
static const char *why_guarded(const struct turn *turn, const struct olv_reach *at,
                               const struct olv_docket_entry *e, const char *place)
{
    const struct olv_guard *guard = &turn->session->guard;
    bool is_directory = e->identity.kind == OLV_KIND_DIRECTORY;
    const char *words;
    struct olv_stat stat;
    if (olv_guard_is_own(guard, at->device, e->identity.inode) ||
        olv_guard_is_own(guard, at->device, e->at.inode))
        return olv_guard_own_words;
    words = olv_barrier_words(olv_guard_of(guard, place));
    if (words || !is_directory)
        return words;
    if (e->identity.mount != e->at.mount)
        return "a mount point";
    if (olv_os_stat(at->fd, e->name, &stat) && stat.device != at->device)
        return "the root of a subvolume";
    return olv_guard_landmark(guard, at->device, e->identity.inode);
}

static bool is_kept_by_guard(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                             struct olv_outcome *o)
{
    struct olv_text *path = &turn->scratch.path;
    bool is_directory = e->identity.kind == OLV_KIND_DIRECTORY;
    const char *why;
    olv_text_clear(path);
    if (is_directory)
        olv_docket_entry_path(e, path);
    if (path->failed) { /* nobody knows whether it is guarded */
        olv_fail_memory(&o->error);
        outcome_failed(o);
        return true;
    }
    why = why_guarded(turn, at, e, is_directory ? path->data : e->directory);
    if (!why)
        return false;
    olv_fail(&o->error, OLV_REFUSED, "guarded: it is %s", why);
    o->result = OLV_LEFT;
    return true;
}

/* ---- open for writing ---- */

/* Looks at all processes, at most once a second, and lends that to the acts if it saw all of them. */
static void look_at_processes(struct turn *turn)
{
    enum { FRESH_S = 1 };
    struct olv_instant now = olv_os_now();
    if (turn->ending.seen && now.s <= turn->ending.seen_at.s + FRESH_S && now.s >= turn->ending.seen_at.s)
        return;
    olv_os_in_use_free(turn->ending.seen);
    turn->ending.seen = olv_os_in_use_read();
    turn->ending.seen_at = now;
    turn->ending.in_use =
        turn->ending.seen && olv_os_in_use_is_complete(turn->ending.seen) ? turn->ending.seen : NULL;
}

void asking_end(struct turn *turn)
{
    olv_os_in_use_free(turn->ending.seen);
    turn->ending.seen = NULL;
}

/* Whether anybody writes to it. For acts that can be taken back, one look answers for many files; otherwise
 * the system is asked about this file. */
static enum olv_truth is_open_for_writing(struct turn *turn, const struct olv_reach *at,
                                          const struct olv_docket_entry *e)
{
    if (e->act->traits & OLV_FINAL)
        return olv_os_is_open_for_writing(at->fd, e->name);
    look_at_processes(turn);
    if (turn->ending.seen && olv_os_is_in_use(turn->ending.seen, at->device, e->identity.inode))
        return OLV_YES;
    return turn->ending.in_use ? OLV_NO : olv_os_is_open_for_writing(at->fd, e->name);
}

static bool keep_because(struct olv_outcome *o, enum olv_code code, const char *why)
{
    olv_fail(&o->error, code, "%s", why);
    o->result = OLV_LEFT;
    return true;
}

/* Nobody knows whether it may go; the next run may. `sys`: the system's errno, or 0. */
static bool keep_for_now(struct olv_outcome *o, int sys, const char *why)
{
    olv_fail(&o->error, OLV_SYSTEM, "%s", why);
    o->error.sys = sys;
    o->result = OLV_FAILED;
    return true;
}

static bool is_kept_for_writing(struct turn *turn, const struct olv_reach *at,
                                const struct olv_docket_entry *e, struct olv_outcome *o)
{
    enum olv_truth is_open;
    errno = 0;
    is_open = is_open_for_writing(turn, at, e);
    if (is_open == OLV_YES)
        return keep_because(o, OLV_CHANGED, "it is open for writing");
    if (is_open == OLV_UNKNOWN && olv_os_is_exhausted(errno))
        return keep_for_now(o, errno, "cannot find out whether it is open for writing");
    return is_open == OLV_UNKNOWN && e->act->traits & OLV_FINAL &&
           keep_because(o, OLV_CHANGED, "the system does not tell whether it is open for writing");
}

/* ---- holds and respites ---- */

static enum olv_truth is_held(const struct olv_session *session, const char *path,
                              const struct olv_stat *stat)
{
    const struct olv_holds *holds = session->options.holds;
    return holds ? holds->is_held(holds->self, path, stat) : OLV_NO;
}

static enum olv_truth is_entry_held(struct turn *turn, const struct olv_docket_entry *e,
                                    const struct olv_stat *stat)
{
    struct olv_text *path = &turn->scratch.path;
    if (!turn->session->options.holds)
        return OLV_NO;
    olv_text_clear(path);
    olv_docket_entry_shown(e, path);
    return path->failed ? OLV_UNKNOWN : is_held(turn->session, path->data, stat);
}

static bool is_kept_by_register(struct turn *turn, const struct olv_docket_entry *e,
                                const struct olv_stat *stat, struct olv_outcome *o)
{
    bool asks_respite = e->rule != OLV_BY_HAND && e->place != OLV_IN_DEPOT;
    enum olv_truth held = is_entry_held(turn, e, stat), given;
    given = asks_respite ? recorded_respite(turn, stat) : OLV_NO;
    if (held == OLV_YES)
        return keep_because(o, OLV_REFUSED, "it is held");
    if (given == OLV_YES)
        return keep_because(o, OLV_REFUSED, "it was recovered recently");
    if (held == OLV_UNKNOWN)
        return keep_for_now(o, 0, "cannot find out whether it is held");
    return given == OLV_UNKNOWN && keep_for_now(o, 0, "cannot find out whether it was recovered recently");
}

/* ---- what is in a directory ---- */

struct asking {
    const struct turn *turn;
    const char *path; /* that people know */
    bool is_in_tree, asks_open;
};

/* Where a directory goes as a whole, what must stay may be anywhere in it. */
static const char *why_guarded_inside(const struct turn *turn, const struct olv_scan_entry *entry)
{
    const struct olv_guard *guard = &turn->session->guard;
    if (olv_guard_is_own(guard, entry->stat.device, entry->stat.inode))
        return "something in it is one of Olvido's own files";
    if (entry->kind == OLV_KIND_DIRECTORY && olv_guard_landmark(guard, entry->stat.device, entry->stat.inode))
        return "a directory in it is a home, the working directory, or above one";
    return NULL;
}

static const char *why_kept(void *self, const struct olv_scan_entry *entry)
{
    const struct asking *a = self;
    const char *guarded = a->is_in_tree ? why_guarded_inside(a->turn, entry) : NULL;
    const struct olv_os_in_use *in_use = a->turn->ending.in_use;
    struct olv_text path = {0};
    bool is_kept;
    if (guarded)
        return guarded;
    if (a->asks_open && entry->kind == OLV_KIND_FILE &&
        (in_use ? olv_os_is_in_use(in_use, entry->stat.device, entry->stat.inode)
                : olv_os_is_open_for_writing(entry->dir_fd, entry->name) == OLV_YES))
        return "something in it is open for writing";
    if (!a->turn->session->options.holds)
        return NULL;
    olv_text_printf(&path, "%s/", a->path[1] ? a->path : "");
    olv_scan_dir_path_below(entry->dir, &path);
    olv_text_printf(&path, "%s%s", entry->dir->parent ? "/" : "", entry->name);
    is_kept = path.failed || is_held(a->turn->session, path.data, &entry->stat) != OLV_NO;
    olv_text_free(&path);
    return is_kept ? "something in it is held" : NULL;
}

bool ask_about_contents(const struct turn *turn, int dir, const char *name, const struct olv_docket_entry *e,
                        struct olv_contents *contents, struct olv_error *err)
{
    struct olv_text path = {0};
    struct asking asking = {turn, "", e->place == OLV_IN_TREE,
                            e->place == OLV_IN_TREE && turn->ending.asks_open};
    struct contents_asker asker = {&asking, turn->session->options.observer, why_kept};
    bool ok;
    olv_docket_entry_shown(e, &path);
    asking.path = olv_text_string(&path);
    ok = !path.failed ? olv_scan_contents(dir, name, &asker, contents, err) : olv_fail_memory(err);
    olv_text_free(&path);
    return ok;
}

/* An item is not compared with anything, so only a register is a reason to walk it. */
static bool is_kept_by_contents(const struct turn *turn, const struct olv_reach *at,
                                const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct olv_contents ignored = {0};
    if (e->place != OLV_IN_TRASH || e->identity.kind != OLV_KIND_DIRECTORY || !turn->session->options.holds ||
        ask_about_contents(turn, at->fd, e->name, e, &ignored, &o->error))
        return false;
    outcome_failed(o);
    if (o->error.code == OLV_REFUSED)
        o->result = OLV_LEFT;
    return true;
}

/* ---- asking ---- */

static void give_leave(struct turn *turn, const struct olv_docket_entry *e)
{
    struct leave *leave = &turn->ending.leave;
    leave->is_given = true;
    leave->mount = e->identity.mount;
    leave->inode = e->identity.inode;
    memcpy(leave->name, e->name, strnlen(e->name, NAME_MAX) + 1);
    leave->name[NAME_MAX] = '\0';
}

/* What lies in an archive has no inode. */
static bool look(const struct olv_reach *at, const struct olv_docket_entry *e, struct olv_stat *stat)
{
    const struct olv_location *l = e->location;
    if (l)
        *stat =
            (struct olv_stat){.kind = OLV_KIND_FILE, .size_bytes = l->size_bytes, .modified = l->modified};
    if (l || !olv_os_stat(at->fd, e->name, stat))
        return l;
    errno = ENOENT;
    return stat->inode == e->identity.inode;
}

/* Whoever can write the directory may have put a hard link of somebody else's file there: an act that changes
 * the file itself would change that. */
static bool may_be_elsewhere(const struct olv_reach *at, const struct olv_docket_entry *e,
                             const struct olv_stat *stat)
{
    unsigned traits = e->act->traits;
    return e->act->destination == OLV_STAYS && traits & OLV_OUTLIVED && !(traits & OLV_SOURCE_STAYS) &&
           !at->is_ours && stat->links > 1 && stat->kind != OLV_KIND_DIRECTORY;
}

static bool keep_because_protected(struct turn *turn, const struct olv_docket_entry *e,
                                   const struct olv_stat *stat, struct olv_outcome *o)
{
    struct protection_setters setters = {0};
    struct olv_protected file;
    struct olv_error ignored = {0}; /* then nobody knows who */
    char why[200];
    if (protection_key(e, &turn->scratch.path, &file))
        recorded_protection(turn, &file, protection_note_setter, &setters, &ignored);
    protection_why(stat, &setters, why, sizeof why);
    return keep_because(o, OLV_REFUSED, why);
}

/* File attributes that not even root gets around. In such a directory not even a room can be removed again.
 */
static bool is_kept_by_attributes(struct turn *turn, const struct olv_reach *at,
                                  const struct olv_docket_entry *e, const struct olv_stat *stat,
                                  struct olv_outcome *o)
{
    if (e->act->traits & (OLV_SOURCE_STAYS | OLV_ATTRIBUTES_ONLY))
        return false;
    if (stat->is_immutable || stat->is_append_only)
        return keep_because_protected(turn, e, stat, o);
    if (at->is_immutable || at->is_append_only)
        return keep_because(o, OLV_REFUSED,
                            at->is_immutable
                                ? "its directory is immutable: nothing in it can be renamed or removed"
                                : "its directory is append-only: nothing in it can be renamed or "
                                  "removed");
    return false;
}

static bool is_kept(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
                    const struct olv_stat *stat, bool is_watched, struct olv_outcome *o)
{
    const struct olv_policy *policy = turn->session->options.policy;
    bool is_in_tree = e->place == OLV_IN_TREE;
    if (is_in_tree && !(e->act->traits & OLV_SOURCE_STAYS) && is_kept_by_guard(turn, at, e, o))
        return true; /* before it is opened: closing any descriptor of a database drops its locks */
    if (is_in_tree && is_kept_by_attributes(turn, at, e, stat, o))
        return true;
    if (is_in_tree && may_be_elsewhere(at, e, stat))
        return keep_because(o, OLV_REFUSED,
                            "it has other names (hard links), and others can write its directory: it may be "
                            "somebody else's file");
    if (is_kept_by_register(turn, e, stat, o) || is_kept_by_contents(turn, at, e, o))
        return true;
    turn->ending.asks_open = !(policy && e->rule < policy->rule_count && policy->rules[e->rule].open_too);
    if (is_in_tree && e->identity.kind == OLV_KIND_DIRECTORY && !e->is_emptied &&
        !(e->act->traits &
          (OLV_EMPTY_ONLY | OLV_ATTRIBUTES_ONLY))) /* its contents are asked about by the act */
        look_at_processes(turn);
    return is_in_tree && e->identity.kind == OLV_KIND_FILE && turn->ending.asks_open && !is_watched &&
           !(hooks_of(e)->needs & ASKS_WRITERS) && is_kept_for_writing(turn, at, e, o);
}

/* A missing or different file is the act's to report: what is known of its inode may be about an older file
 * with the same number. */
bool ask_about(struct turn *turn, const struct olv_reach *at, const struct olv_docket_entry *e,
               bool is_watched, struct olv_outcome *o)
{
    struct olv_stat stat;
    bool is_there;
    turn->ending.leave.is_given &= e->place == OLV_IN_DEPOT; /* then it is for the whole archive */
    is_there = look(at, e, &stat);
    if (!is_there && !olv_os_is_absent(errno))
        return !keep_for_now(o, errno, "looking at it again");
    if (is_there && is_kept(turn, at, e, &stat, is_watched, o))
        return false;
    give_leave(turn, e);
    return true;
}

struct asking_archive {
    const struct olv_session *session;
    enum olv_truth is_held;
};

static bool ask_member(void *self, const struct catalogue_made *f)
{
    struct asking_archive *a = self;
    struct olv_stat stat = {.kind = f->kind, .size_bytes = f->size_bytes, .modified = f->modified};
    a->is_held = is_held(a->session, f->path, &stat);
    return a->is_held == OLV_NO;
}

enum olv_truth ask_about_archive(const struct olv_session *session, int64_t archive, struct olv_error *err)
{
    struct asking_archive a = {session, OLV_NO};
    if (session->options.holds && !catalogue_each_made(session->catalogue, archive, ask_member, &a, err))
        return OLV_UNKNOWN;
    return a.is_held;
}

/* ---- what our own acts changed ---- */

int own_change_begin(const struct olv_reach *at, const struct olv_docket_entry *e)
{
    bool has_others = e->links > 1 && e->identity.kind != OLV_KIND_DIRECTORY;
    return has_others ? olv_os_open_passing(at->fd, e->name) : -1;
}

void own_change_end(const struct turn *turn, int fd, bool was_made)
{
    struct olv_stat now;
    if (fd < 0)
        return;
    if (was_made && olv_os_stat(fd, "", &now))
        changes_note(turn->run.changes, &now);
    olv_os_close(fd);
}

void own_change_follow(const struct turn *turn, int dir, struct olv_docket_entry *e)
{
    struct olv_stat now;
    if (e->links > 1 && e->identity.kind != OLV_KIND_DIRECTORY && olv_os_stat(dir, e->name, &now) &&
        changes_made(turn->run.changes, &now))
        e->identity.changed = now.changed;
}
