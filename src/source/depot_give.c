/* SPDX-License-Identifier: Apache-2.0 */
/* Giving, out of an archive in a depot: back to where it was or to somewhere else, with everything it had.
 * The archive is only read.
 *
 * In a group: all new files are written, with what belongs to them, brought to the disk and read again; the
 * register knows them; and only then each gets its name. */
#include "source/depot_ways.h"

#include "archive/directories.h"
#include "archive/restore.h"
#include "depot/locate.h"
#include "depot/trust.h"
#include "depot/vault.h"
#include "file/identity.h"
#include "file/parents.h"
#include "file/room.h"
#include "file/touched.h"
#include "os/files.h"
#include "os/os.h"
#include "source/destination.h"
#include "source/judged.h"
#include "source/settling.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* Kept for the whole run. */
struct giving {
    struct vault *vault;             /* reads archives */
    struct olv_text depot;           /* the path of the one that was judged last */
    struct directories *directories; /* what recovered directories are given in the end; NULL: none */
};

static struct giving *state_of(const struct turn *turn)
{
    return *turn->state;
}

static bool open_state(struct turn *turn, struct olv_error *err)
{
    struct giving *g = *turn->state ? *turn->state : calloc(1, sizeof *g);
    *turn->state = g;
    return (g && (g->vault || (g->vault = vault_new()))) || olv_fail_memory(err);
}

static void close_state(void *state)
{
    struct giving *g = state;
    if (!g)
        return;
    vault_free(g->vault);
    olv_text_free(&g->depot);
    directories_free(g->directories);
    free(g);
}

/* One entry under way. */
struct fetching {
    const struct olv_docket_entry *entry;
    const struct olv_location *location;
    struct restore_options options;
    char label[FRESH_LABEL];
    uint64_t sequence;
    struct tar_reader *reader;
    struct olv_member member; /* while it is made */
    enum olv_kind kind;
    bool has_digest, is_link;
    uint8_t digest[OLV_SHA256_SIZE]; /* of its contents, which were read */
    int dir;                         /* where it goes; -1: not known yet */
    struct fresh fresh;              /* a file; else fd is -1 */
    struct room room;                /* of what is no file; else its dir is -1 */
    char directory[PATH_MAX];
    const char *name;
    char placed[NAME_MAX + 1]; /* "" before */
    struct olv_text path;      /* where it is then */
};

static bool goes_on(const struct group *g, size_t i)
{
    return g->made[i] && g->outcomes[i].result == OLV_PENDING;
}

/* Whether these are the contents of the file. OLV_UNKNOWN with errno: it cannot be read. */
static enum olv_truth has_contents(struct turn *turn, int fd, const uint8_t *want)
{
    uint8_t buffer[65536], digest[OLV_SHA256_SIZE];
    ssize_t got;
    off_t at = 0;
    olv_hasher_begin(turn->lent->hasher);
    for (; (got = pread(fd, buffer, sizeof buffer, at)) > 0; at += got)
        olv_hasher_add(turn->lent->hasher, buffer, (size_t)got);
    if (got < 0)
        return OLV_UNKNOWN;
    olv_hasher_end(turn->lent->hasher, digest);
    return memcmp(digest, want, sizeof digest) == 0 ? OLV_YES : OLV_NO;
}

/* ---- the member ---- */

/* Whoever can write the archive could give back anything as ours: only what the catalogue knows is. */
static bool is_as_known(const struct turn *turn, const struct fetching *f, struct olv_error *err)
{
    bool has_contents = f->member.kind == OLV_KIND_FILE;
    if (!f->location->has_header || (has_contents && !f->location->has_digest))
        return olv_fail(err, OLV_BROKEN, "the catalogue does not know enough of it to know it again");
    return memcmp(f->location->header, vault_header(state_of(turn)->vault), sizeof f->location->header) ==
               0 ||
           olv_fail(err, OLV_BROKEN,
                    "its owner, mode, times or attributes in the archive are not those that were put in");
}

/* Once for a depot. */
static void judge_depot(struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_text *last = &state_of(turn)->depot;
    struct olv_error why = {0};
    if (strcmp(olv_text_string(last), e->directory) == 0)
        return;
    olv_text_clear(last);
    olv_text_puts(last, e->directory);
    if (!depot_is_trusted(e->directory, turn->source.fd, &why))
        depot_warn(turn->lent->observer, &why, "only what the catalogue knows, to the byte, is given back");
}

/* The archive that was meant, and in it the member that was meant. */
static bool open_member(struct turn *turn, struct fetching *f, int archive, struct olv_error *err)
{
    struct vault_place place = {archive, f->location->archive, f->location->codec, f->location->begins,
                                f->location->within};
    struct olv_stat stat;
    if (!olv_os_stat(archive, "", &stat))
        return olv_fail_system(err, f->entry->name, "cannot look at the archive");
    if (!olv_identity_holds(&f->entry->identity, &stat, true))
        return olv_fail(err, OLV_SYSTEM, "its archive has changed since it was looked up");
    f->reader = vault_open(state_of(turn)->vault, &place, &f->member, err);
    return f->reader &&
           (locate_is_it(f->location, f->member.path, turn->lent->hasher) ||
            olv_fail(err, OLV_BROKEN, "another member stands at its place in the archive")) &&
           is_as_known(turn, f, err);
}

/* Whatever the format's own checksums say, or do not say: the contents must be those that were put in. */
static bool is_intact(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    olv_hasher_end(turn->lent->hasher, f->digest);
    f->has_digest = true;
    return memcmp(f->digest, f->location->digest, OLV_SHA256_SIZE) == 0 ||
           olv_fail(err, OLV_BROKEN, "the archive is damaged: these are not the contents that were put in");
}

static bool copy_data(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at = 0;
    olv_hasher_begin(turn->lent->hasher);
    while (len) {
        if (!tar_data(f->reader, &bytes, &len, &at, err))
            return false;
        if (olv_observe_interrupted(turn->lent->observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
        if (len && !restore_write(f->fresh.fd, bytes, len, at, err))
            return false;
        olv_hasher_fill(turn->lent->hasher, len ? at : f->member.size_bytes);
        olv_hasher_add(turn->lent->hasher, bytes, len);
    }
    return is_intact(turn, f, err);
}

static bool make_file(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    return fresh_open(&f->fresh, f->dir, f->label, err) && copy_data(turn, f, err) &&
           restore_file(&f->fresh, &f->member, &f->options, err);
}

static void leave_room(const struct turn *turn, struct fetching *f)
{
    room_clear(&f->room);
    if (!room_close(&f->room))
        olv_observe_trouble(turn->lent->observer,
                            (struct olv_trouble){OLV_TROUBLE_UNREADABLE, f->room.name,
                                                 "cannot remove this directory, which was made beside it",
                                                 errno});
}

struct noting {
    struct turn *turn;
    struct fetching *fetching;
    struct olv_stat *stat;
};

static bool note_directory(void *self, int fd, struct olv_error *err)
{
    struct noting *n = self;
    struct turn *turn = n->turn;
    const struct fetching *f = n->fetching;
    return (olv_os_stat(fd, "", n->stat) || olv_fail_system(err, "", "cannot look at the new directory")) &&
           turn->lent->lender->note_name(turn->lent->lender, f->sequence, f->entry->target, n->stat, true,
                                         err) &&
           turn->lent->lender->store_names(turn->lent->lender, err);
}

/* False with EEXIST in `err` where its place is taken. */
static bool make_new_directory(struct turn *turn, struct fetching *f, struct olv_stat *stat,
                               struct olv_error *err)
{
    struct noting noting = {turn, f, stat};
    int fd;
    if (olv_os_stat(f->dir, f->name, stat))
        errno = EEXIST;
    if (errno != ENOENT)
        return olv_fail_system(err, "", "cannot make the directory");
    fd = room_make_directory(f->dir, f->name, f->label, note_directory, &noting, err);
    if (fd < 0)
        return false;
    close(fd);
    return true;
}

/* A directory comes before what is in it, so it has its name at once. One that is there stays as it is; but
 * one that an earlier run has made, and could not give what it had, is given it now. */
static bool make_directory(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    struct giving *g = state_of(turn);
    enum olv_truth made_by_us;
    struct olv_stat stat;
    snprintf(f->placed, sizeof f->placed, "%s", f->name);
    if (!make_new_directory(turn, f, &stat, err)) {
        if (err->sys != EEXIST)
            return false;
        olv_error_clear(err);
        if (!olv_os_stat(f->dir, f->name, &stat))
            return olv_fail_system(err, "", "cannot look at the directory that is there");
        if (stat.kind != OLV_KIND_DIRECTORY)
            return olv_fail(err, OLV_EXISTS, "something else stands at the place of the directory");
        made_by_us = turn->lent->lender->is_spared(turn->lent->lender, &stat);
        if (made_by_us == OLV_UNKNOWN)
            return olv_fail(err, OLV_SYSTEM,
                            "cannot find out whether an earlier run has made the directory that is there");
        if (made_by_us == OLV_NO)
            return true;
    }
    if (!g->directories && !(g->directories = directories_new(err)))
        return false;
    return directories_add(g->directories, f->entry->target + strspn(f->entry->target, "/"), &stat,
                           &f->member, err);
}

/* ---- another name of a hard link ---- */

/* The other name was recovered as well, most often just before: what is linked is that file, by its
 * descriptor, when its contents are the member's. */
static bool make_link(struct turn *turn, struct fetching *f)
{
    struct olv_error ignored = {0};
    struct olv_stat stat;
    char directory[PATH_MAX];
    const char *name;
    int from, fd;
    bool ok;
    if (!*f->location->twin || !f->location->has_digest || f->member.kind != OLV_KIND_FILE)
        return false;
    from = destination_open(f->location->twin, directory, sizeof directory, &name, &ignored);
    fd = from >= 0 ? olv_os_open_file(from, name) : -1;
    ok = fd >= 0 && olv_os_stat(fd, "", &stat) && stat.kind == OLV_KIND_FILE &&
         stat.size_bytes == f->member.size_bytes && stat.mode == f->member.mode &&
         olv_instant_compare(stat.modified, f->member.modified) == 0 &&
         has_contents(turn, fd, f->location->digest) == OLV_YES &&
         room_open(&f->room, f->dir, f->label, &ignored) &&
         restore_hard_link(fd, from, name, &stat, &f->room, &ignored);
    if (!ok)
        leave_room(turn, f);
    if (fd >= 0)
        close(fd);
    if (from >= 0)
        close(from);
    return f->is_link = ok;
}

static bool make_one(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    if (make_link(turn, f)) {
        memcpy(f->digest, f->location->digest, sizeof f->digest);
        f->has_digest = true;
        return true;
    }
    if (f->kind == OLV_KIND_FILE)
        return make_file(turn, f, err);
    if (f->kind == OLV_KIND_DIRECTORY)
        return make_directory(turn, f, err);
    return room_open(&f->room, f->dir, f->label, err) &&
           restore_special(&f->room, &f->member, &f->options, err);
}

/* ---- making ---- */

static int open_destination(struct fetching *f, struct olv_error *err)
{
    struct olv_stat inhabitant = {.owner = f->member.owner, .group = f->member.group};
    int dir = destination_open(f->entry->target, f->directory, sizeof f->directory, &f->name, err);
    if (dir >= 0 || err->sys != ENOENT)
        return dir;
    olv_error_clear(err);
    return parents_open(f->directory, &inhabitant, f->label, err);
}

static bool fetch(struct turn *turn, struct fetching *f, struct olv_outcome *o)
{
    const struct olv_docket_entry *e = f->entry;
    struct olv_error *err = &o->error;
    int archive;
    bool ok;
    if (!olv_reach_directory(&turn->source, e, err)) {
        depot_unreached(e, o);
        return false;
    }
    judge_depot(turn, e);
    archive = olv_os_open_file(turn->source.fd, e->name);
    if (archive < 0)
        return olv_fail_system(err, e->name, "cannot open the archive");
    ok = open_member(turn, f, archive, err);
    f->kind = ok ? f->member.kind : OLV_KIND_UNKNOWN;
    f->dir = ok ? open_destination(f, err) : -1;
    ok = f->dir >= 0 && destination_is_allowed(turn, e, f->dir, f->name, o) && make_one(turn, f, err);
    close(archive);
    return ok;
}

static struct fetching *begin(struct turn *turn, const struct group *g, size_t i)
{
    const struct olv_docket_entry *e = &g->entries[i];
    struct olv_outcome *o = &g->outcomes[i];
    struct fetching *f = calloc(1, sizeof *f);
    if (!f) {
        olv_fail_memory(&o->error);
        outcome_failed(o);
        return NULL;
    }
    f->entry = e;
    f->location = e->location;
    f->dir = f->fresh.fd = f->room.dir = -1;
    f->sequence = g->sequence + i;
    turn_label(f->label, turn, f->sequence);
    f->options = (struct restore_options){e->if_exists, geteuid() == 0, true, f->label};
    return f;
}

static bool note(struct turn *turn, const struct group *g, size_t i, struct olv_error *err)
{
    const struct fetching *f = g->made[i];
    struct olv_stat stat;
    bool ok;
    if (f->fresh.fd < 0 && f->room.dir < 0)
        return true; /* a directory, which was noted before */
    ok = f->fresh.fd >= 0 ? olv_os_stat(f->fresh.fd, "", &stat)
                          : olv_os_stat(f->room.dir, f->room.thing, &stat);
    return (ok || olv_fail_system(err, "", "cannot look at what was made")) &&
           turn->lent->lender->note_name(turn->lent->lender, g->sequence + i, f->entry->target, &stat, true,
                                         err);
}

static void sync_files(const struct group *g)
{
    struct touched touched = {0};
    struct olv_error err = {0};
    for (size_t i = 0; i < g->count; i++) {
        const struct fetching *f = g->made[i];
        struct olv_outcome *o = &g->outcomes[i];
        struct olv_stat stat;
        if (!goes_on(g, i) || f->fresh.fd < 0)
            continue;
        if (!olv_os_stat(f->fresh.fd, "", &stat))
            olv_fail_system(&o->error, "", "cannot look at the new file");
        else if (touched_add_file(&touched, f->fresh.fd, stat.device, g->count, &o->error))
            continue;
        outcome_failed(o);
    }
    if (!touched_sync(&touched, &err))
        group_fail(g, &err);
}

/* What was written is read again: a file that goes by its name is the one that was put in. */
static void prove(struct turn *turn, const struct group *g)
{
    for (size_t i = 0; i < g->count; i++) {
        const struct fetching *f = g->made[i];
        struct olv_outcome *o = &g->outcomes[i];
        enum olv_truth is_same =
            goes_on(g, i) && f->fresh.fd >= 0 ? has_contents(turn, f->fresh.fd, f->digest) : OLV_YES;
        if (is_same == OLV_YES)
            continue;
        if (is_same == OLV_UNKNOWN)
            olv_fail_system(&o->error, "", "cannot read again what was written");
        else
            olv_fail(&o->error, OLV_BROKEN, "what was written does not read back the same");
        outcome_failed(o);
    }
}

static bool announce(struct turn *turn, const struct group *g, struct olv_error *err)
{
    for (size_t i = 0; i < g->count; i++)
        if (goes_on(g, i) && !note(turn, g, i, err))
            return false;
    return turn->lent->lender->store_names(turn->lent->lender, err);
}

static bool make(struct turn *turn, struct group *g, struct olv_error *err)
{
    struct olv_error why = {0};
    if (!open_state(turn, err))
        return false;
    for (size_t i = 0; i < g->count; i++) {
        struct olv_outcome *o = &g->outcomes[i];
        if (o->result != OLV_PENDING)
            continue;
        g->made[i] = begin(turn, g, i);
        if (olv_observe_interrupted(turn->lent->observer) && goes_on(g, i))
            outcome_interrupted(o);
        if (goes_on(g, i) && !fetch(turn, g->made[i], o) && o->result == OLV_PENDING)
            outcome_failed(o);
    }
    sync_files(g);
    prove(turn, g);
    if (!announce(turn, g, &why))
        group_fail(g, &why);
    return true;
}

/* ---- in its turn ---- */

static bool publish(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    const struct olv_docket_entry *e = f->entry;
    bool ok;
    if (f->fresh.fd >= 0)
        return fresh_publish(&f->fresh, f->name, e->if_exists, f->placed, err);
    if (f->room.dir < 0)
        return true; /* a directory */
    ok = restore_place(&f->room, f->name, &f->options, f->placed, err);
    leave_room(turn, f);
    return ok;
}

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct fetching *f = turn->made;
    if (!f)
        return;
    if (publish(turn, f, &o->error)) {
        fresh_keep(&f->fresh);
        o->result = OLV_DONE;
        o->digest = f->has_digest ? f->digest : NULL;
        destination_note(o, &f->path, f->directory, f->placed);
        destination_touch(turn, f->dir);
    } else if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP) {
        o->result = OLV_LEFT;
    } else {
        outcome_failed(o);
    }
}

static void drop(const struct group *g)
{
    for (size_t i = 0; i < g->count; i++) {
        struct fetching *f = g->made[i];
        if (!f)
            continue;
        room_clear(&f->room);
        room_close(&f->room);
        fresh_close(&f->fresh);
        if (f->dir >= 0)
            close(f->dir);
        olv_text_free(&f->path);
        free(f);
    }
}

/* The other name of a hard link must have its place before. */
static bool is_alone(const struct olv_docket_entry *e)
{
    return *e->location->twin;
}

/* ---- after a crash ---- */

static enum olv_truth settle(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char directory[PATH_MAX], label[FRESH_LABEL], placed[NAME_MAX + 1];
    struct settling_search s;
    struct olv_error ignored = {0};
    struct olv_stat stat;
    const char *name;
    int fd = destination_open(e->target, directory, sizeof directory, &name, &ignored);
    enum olv_truth found;
    bool is_there, is_directory;
    turn_label(label, turn, turn->sequence);
    parents_settle(directory, label);
    if (fd < 0)
        return ignored.sys == ENOENT ? OLV_NO : OLV_UNKNOWN;
    if (!settling_search_for(&s, turn, e, label, name, &o->error)) {
        close(fd);
        return OLV_UNKNOWN;
    }
    found = fresh_find(fd, &s.search, placed);
    is_there = found == OLV_YES;
    room_settle(fd, label);
    is_directory = is_there && olv_os_stat(fd, placed, &stat) && stat.kind == OLV_KIND_DIRECTORY;
    if (is_there && !is_directory)
        fresh_settle_keep(fd, label);
    if (is_there)
        destination_note(o, &turn->placed, directory, placed);
    close(fd);
    o->result = is_directory ? OLV_FAILED : OLV_DONE;
    if (is_directory)
        olv_fail(&o->error, OLV_SYSTEM,
                 "made, but the run was cut short before it had its mode and times; recover it again");
    return found;
}

/* Recovered directories get their times when nothing more goes into them. */
static bool finish(struct turn *turn,
                   void (*failed)(void *self, const char *path, const struct olv_error *why), void *self,
                   struct olv_error *err)
{
    struct restore_options options = {OLV_REFUSE, geteuid() == 0, false, ""};
    struct giving *g = state_of(turn);
    int top = g && g->directories ? olv_os_open_path("/") : -1;
    bool ok;
    if (!g || !g->directories)
        return true;
    if (top < 0)
        return olv_fail_system(err, "/", "cannot open it");
    ok = directories_finish(g->directories, top, &options, failed, self, err);
    close(top);
    return ok;
}

const struct hooks depot_giving = {.needs = NEEDS_GIVENS | NEEDS_PLACE | ASKS_ITSELF,
                                   .takes_several = true,
                                   .is_alone = is_alone,
                                   .make = make,
                                   .apply = apply,
                                   .drop = drop,
                                   .finish = finish,
                                   .close = close_state,
                                   .settle = settle};
