/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the hooks of acts and places: what is acted on is what was judged. */
#include "source/judged.h"

#include "base/bytes.h"

#include "file/identity.h"
#include "file/stage.h"
#include "olvido/guard.h"
#include "os/files.h"
#include "os/os.h"
#include "scan/contents.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

/* `place`: the entry's directory; of a directory its own path. */
static const char *why_guarded(const struct turn *turn, const struct olv_docket_entry *e, const char *place)
{
    bool is_directory = e->identity.kind == OLV_KIND_DIRECTORY;
    if (olv_guard_is_own(&turn->session->guard, turn->directory.device, e->identity.inode) ||
        olv_guard_is_own(&turn->session->guard, turn->directory.device, e->at.inode))
        return "is one of Olvido's own files";
    switch (olv_guard_of(&turn->session->guard, place)) {
    case OLV_SYSTEM_PLACE:
        return "lies in a system directory";
    case OLV_OWN_PLACE:
        return "lies in one of Olvido's own places";
    default:
        break;
    }
    if (is_directory && e->identity.mount != e->at.mount)
        return "is a mount point";
    if (is_directory &&
        olv_guard_is_landmark(&turn->session->guard, turn->directory.device, e->identity.inode))
        return "is the root or a home directory";
    return NULL;
}

bool judged_is_allowed(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
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
        return false;
    }
    why = why_guarded(turn, e, is_directory ? path->data : e->directory);
    if (!why)
        return true;
    olv_fail(&o->error, OLV_REFUSED, "guarded: it %s", why);
    o->result = OLV_LEFT;
    return false;
}

/* It is gone; or it cannot be opened this time, which is a failure. */
static void why_no_trash(const char *files, struct olv_error *err)
{
    int fd = olv_os_open_path(files);
    if (fd >= 0 || !olv_os_is_absent(errno))
        olv_fail_system(err, files, "cannot open its trash");
    else
        olv_fail(err, OLV_CHANGED, "its trash is gone");
    olv_os_close(fd);
}

struct olv_trash *judged_trash_of_item(struct turn *turn, const struct olv_docket_entry *entry,
                                       struct olv_error *err)
{
    struct olv_trash *trash = olv_trashes_of_files(turn->session->trashes, entry->directory);
    if (!trash) {
        olv_trashes_find(turn->session->trashes, NULL);
        trash = olv_trashes_of_files(turn->session->trashes, entry->directory);
    }
    if (!trash)
        why_no_trash(entry->directory, err);
    return trash;
}

struct asking {
    const struct turn *turn;
    const struct olv_docket_entry *entry;
};

/* Holds and files open for writing may be new, though nothing else changed. */
static const char *why_kept(void *self, const struct olv_scan_entry *entry)
{
    const struct asking *a = self;
    const struct turn *turn = a->turn;
    struct olv_text path = {0};
    bool is_held;
    if (turn->ending.asks_open && entry->kind == OLV_KIND_FILE &&
        (turn->ending.in_use ? olv_os_is_in_use(turn->ending.in_use, entry->stat.device, entry->stat.inode)
                             : olv_os_is_open_for_writing(entry->dir_fd, entry->name) == OLV_YES))
        return "something in it is open for writing";
    if (!turn->session->options.holds)
        return NULL;
    olv_text_printf(&path, "%s/", a->entry->directory[1] ? a->entry->directory : "");
    olv_scan_dir_path(entry->dir, &path);
    olv_text_printf(&path, "/%s", entry->name);
    is_held =
        path.failed || turn->session->options.holds->is_held(turn->session->options.holds->self,
                                                             olv_text_string(&path), &entry->stat) != OLV_NO;
    olv_text_free(&path);
    return is_held ? "something in it is held" : NULL;
}

bool judged_verify_contents(const struct turn *turn, int dir, const char *name, bool asks,
                            const struct olv_docket_entry *entry, struct olv_outcome *outcome)
{
    const struct olv_contents *judged = &entry->contents;
    struct asking asking = {turn, entry};
    struct contents_asker asker = {&asking, why_kept};
    struct olv_contents now = {0};
    bool ok;
    if (entry->identity.kind != OLV_KIND_DIRECTORY)
        return true;
    ok = olv_scan_contents(dir, name, asks ? &asker : NULL, &now, &outcome->error);
    if (ok && (now.entries != judged->entries || now.files != judged->files || now.bytes != judged->bytes ||
               olv_instant_compare(now.youngest, judged->youngest) != 0))
        ok = olv_fail(&outcome->error, OLV_CHANGED, "something in it changed since it was judged");
    if (!ok)
        outcome_failed(outcome);
    if (!ok && outcome->error.code == OLV_REFUSED)
        outcome->result = OLV_LEFT;
    return ok;
}

bool judged_has_twins(const struct olv_docket_entry *e)
{
    return e->links > 1 && e->identity.kind != OLV_KIND_DIRECTORY;
}

bool judged_verify(int dir, const char *name, const struct olv_docket_entry *entry, bool with_changed,
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
    outcome_failed(outcome);
    return false;
}

/* ---- names until a file is complete ---- */

static void label_of(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence, char what)
{
    enum { LETTERS = 20 };
    uint8_t bytes[OLV_SALT + 8 + 1], digest[OLV_SHA256_SIZE];
    memcpy(bytes, turn->run.salt, OLV_SALT);
    bytes_put64(bytes + OLV_SALT, sequence);
    bytes[OLV_SALT + 8] = (uint8_t)what;
    olv_sha256_once(bytes, sizeof bytes, digest);
    olv_hex(digest, LETTERS / 2, out);
}

/* The room of all that goes from this entry's directory in one batch. */
static void room_label(char out[FRESH_LABEL], const struct turn *turn, const struct olv_docket_entry *e)
{
    label_of(out, turn, e->at.inode, 'R');
}

/* Where nobody else can write, it does without a room if none can be made (a full disk): what remains is the
 * moment between comparing and unlinking. */
static bool remove_in(struct turn *turn, const struct olv_reach *directory, const struct olv_docket_entry *e,
                      struct olv_error *err)
{
    char label[FRESH_LABEL];
    struct stage_place place = {directory->fd, directory->device, directory->inode, label};
    room_label(label, turn, e);
    if (stage_enter(&turn->ending.stage, &place, turn->session->options.observer, err))
        return stage_remove(&turn->ending.stage, e->name, &e->identity, err);
    if (!directory->is_ours)
        return false;
    olv_error_clear(err);
    return unlinkat(directory->fd, e->name, 0) == 0 || olv_fail_system(err, "", "cannot remove the original");
}

bool judged_remove(struct turn *turn, const struct olv_reach *directory, const struct olv_docket_entry *entry,
                   bool with_changed, struct olv_outcome *outcome)
{
    if (!judged_verify(directory->fd, entry->name, entry, with_changed, outcome))
        return false;
    if (remove_in(turn, directory, entry, &outcome->error))
        return true;
    outcome_failed(outcome);
    return false;
}

void judged_settle_removal(const struct turn *turn, const struct olv_docket_entry *e)
{
    char label[FRESH_LABEL];
    room_label(label, turn, e);
    stage_settle(turn->directory.fd, e->name, label, &e->identity, turn->session->options.observer);
}

/* Whoever opens it for writing from now on waits until the lease is released, and is noticed. */
static bool judged_watch(int fd, const struct olv_docket_entry *e, bool with_changed, struct olv_error *err)
{
    struct olv_stat stat;
    if (olv_os_watch(fd) == OLV_NO)
        return olv_fail(err, OLV_CHANGED, "it is open for writing");
    if (!olv_os_stat(fd, "", &stat))
        return olv_fail_system(err, "", "looking at it again");
    return olv_identity_holds(&e->identity, &stat, with_changed) ||
           olv_fail(err, OLV_CHANGED, "it changed since it was judged");
}

bool judged_remove_unused(struct turn *turn, const struct olv_docket_entry *e, bool with_changed,
                          struct olv_outcome *o)
{
    int fd;
    bool ok;
    if (e->identity.kind != OLV_KIND_FILE)
        return judged_remove(turn, &turn->directory, e, with_changed, o);
    fd = olv_os_open_file(turn->directory.fd, e->name);
    if (fd < 0 &&
        errno != EACCES) { /* a file that cannot be opened cannot be asked about, but may be removed */
        olv_fail_system(&o->error, e->name, "opening it once more");
        if (o->error.sys == ENOENT)
            olv_error_as(&o->error, OLV_CHANGED);
        outcome_failed(o);
        return false;
    }
    ok = fd < 0 || judged_watch(fd, e, with_changed, &o->error);
    if (ok)
        ok = judged_remove(turn, &turn->directory, e, with_changed, o);
    else
        outcome_failed(o);
    olv_os_close(fd);
    return ok;
}

void group_fail(const struct group *g, const struct olv_error *why)
{
    for (size_t i = 0; i < g->count; i++)
        if (g->outcomes[i].result == OLV_PENDING) {
            g->outcomes[i].error = *why;
            outcome_failed(&g->outcomes[i]);
        }
}

void turn_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence)
{
    label_of(out, turn, sequence, 'E');
}

void turn_archive_label(char out[FRESH_LABEL], const struct turn *turn, uint64_t sequence)
{
    label_of(out, turn, sequence, 'A');
}
