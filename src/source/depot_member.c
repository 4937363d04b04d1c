/* SPDX-License-Identifier: Apache-2.0 */
#include "source/depot_member.h"

#include "depot/locate.h"
#include "depot/trust.h"
#include "file/identity.h"
#include "file/parents.h"
#include "os/files.h"
#include "os/os.h"
#include "source/destination.h"
#include "source/records.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

struct giving *giving_of(const struct turn *turn)
{
    return *turn->own.state;
}

/* ---- the member ---- */

/* Whoever can write the archive could pass off anything as ours: only what the catalogue knows is given back.
 */
static bool is_as_known(const struct turn *turn, const struct fetching *f, struct olv_error *err)
{
    bool has_contents = f->member.kind == OLV_KIND_FILE;
    if (!f->location->has_header || (has_contents && !f->location->has_digest))
        return olv_fail(err, OLV_BROKEN, "the catalogue does not know enough to recognise it");
    return memcmp(f->location->header, vault_header(giving_of(turn)->vault), sizeof f->location->header) ==
               0 ||
           olv_fail(err, OLV_BROKEN,
                    "its owner, mode, times or attributes in the archive differ from those archived");
}

/* Once per depot. */
static void judge_depot(struct turn *turn, const struct olv_docket_entry *e)
{
    struct olv_text *last = &giving_of(turn)->depot;
    struct olv_error why = {0};
    if (strcmp(olv_text_string(last), e->directory) == 0)
        return;
    olv_text_clear(last);
    olv_text_puts(last, e->directory);
    if (!depot_is_trusted(e->directory, turn->directory.fd, &why))
        depot_warn(turn->session->options.observer, &why,
                   "only what matches the catalogue to the byte is recovered");
}

/* The right archive, and the right member in it. */
static bool open_member(struct turn *turn, struct fetching *f, int archive, struct olv_error *err)
{
    struct vault_position place = {archive, f->location->archive, f->location->codec, f->location->begins,
                                   f->location->within};
    struct olv_stat stat;
    if (!olv_os_stat(archive, "", &stat))
        return olv_fail_system(err, f->entry->name, "cannot look at the archive");
    if (!olv_identity_holds(&f->entry->identity, &stat, true))
        return olv_fail(err, OLV_SYSTEM, "its archive has changed since it was looked up");
    f->reader = vault_open(giving_of(turn)->vault, &place, &f->member, err);
    return f->reader &&
           (locate_is_it(f->location, f->member.path, turn->scratch.hasher) ||
            olv_fail(err, OLV_BROKEN, "another member is in its place in the archive")) &&
           is_as_known(turn, f, err);
}

/* The format's own checksums do not count: the contents must be the ones archived. */
static bool is_intact(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    olv_hasher_end(turn->scratch.hasher, f->digest);
    f->has_digest = true;
    return memcmp(f->digest, f->location->digest, OLV_SHA256_SIZE) == 0 ||
           olv_fail(err, OLV_BROKEN, "the archive is damaged: the contents differ from those archived");
}

static bool copy_data(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at = 0;
    olv_hasher_begin(turn->scratch.hasher);
    while (len) {
        if (!tar_data(f->reader, &bytes, &len, &at, err))
            return false;
        if (olv_observe_interrupted(turn->session->options.observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
        if (len && !restore_write(f->fresh.fd, bytes, len, at, err))
            return false;
        olv_hasher_fill(turn->scratch.hasher, len ? at : f->member.size_bytes);
        olv_hasher_add(turn->scratch.hasher, bytes, len);
    }
    return is_intact(turn, f, err);
}

static bool make_file(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    return fresh_open(&f->fresh, f->dir, f->label, err) && copy_data(turn, f, err) &&
           restore_file(&f->fresh, &f->member, &f->options, err);
}

void fetch_leave_room(const struct turn *turn, struct fetching *f)
{
    room_clear(&f->room);
    if (!room_close(&f->room))
        olv_observe_unreadable(turn->session->options.observer, f->room.name,
                               "cannot remove this directory, made beside it", errno);
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
           record_name(turn, f->sequence, f->entry->target, n->stat, true, err) && record_names(turn, err);
}

/* False with EEXIST in `err` if the name is taken. */
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

/* A directory comes before its contents, so it is published at once. An existing one stays as it is, unless
 * an earlier run made it and could not finish it. */
static bool depot_member_make_directory(struct turn *turn, struct fetching *f, struct olv_error *err)
{
    struct giving *g = giving_of(turn);
    enum olv_truth made_by_us;
    struct olv_stat stat;
    snprintf(f->new.placed, sizeof f->new.placed, "%s", f->name);
    if (!make_new_directory(turn, f, &stat, err)) {
        if (err->sys != EEXIST)
            return false;
        olv_error_clear(err);
        if (!olv_os_stat(f->dir, f->name, &stat))
            return olv_fail_system(err, "", "cannot look at the directory that is there");
        if (stat.kind != OLV_KIND_DIRECTORY)
            return olv_fail(err, OLV_EXISTS, "something else is in the directory's place");
        made_by_us = recorded_respite(turn, &stat);
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

/* The other name was recovered too, usually just before: link that file, through its descriptor, if its
 * contents are the member's. */
static bool make_link(struct turn *turn, struct fetching *f)
{
    struct olv_error ignored = {0};
    struct olv_stat stat;
    const char *name;
    int from, fd;
    bool ok;
    if (!*f->location->twin || !f->location->has_digest || f->member.kind != OLV_KIND_FILE)
        return false;
    from = destination_open(f->location->twin, &name, &ignored);
    fd = from >= 0 ? olv_os_open_file(from, name) : -1;
    ok = fd >= 0 && olv_os_stat(fd, "", &stat) && stat.kind == OLV_KIND_FILE &&
         stat.size_bytes == f->member.size_bytes && stat.mode == f->member.mode &&
         olv_instant_compare(stat.modified, f->member.modified) == 0 &&
         proven_has_contents(turn, fd, f->location->digest) == OLV_YES &&
         room_open(&f->room, f->dir, f->label, &ignored) &&
         restore_hard_link(fd, from, name, &stat, &f->room, &ignored);
    if (!ok)
        fetch_leave_room(turn, f);
    olv_os_close(fd);
    olv_os_close(from);
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
        return depot_member_make_directory(turn, f, err);
    return room_open(&f->room, f->dir, f->label, err) &&
           restore_special(&f->room, &f->member, &f->options, err);
}

/* ---- from the archive to its place ---- */

static int open_destination(struct fetching *f, struct olv_error *err)
{
    struct olv_stat inhabitant = {.owner = f->member.owner, .group = f->member.group};
    int dir = destination_open(f->entry->target, &f->name, err);
    if (dir >= 0 || err->sys != ENOENT)
        return dir;
    olv_error_clear(err);
    return parents_open(f->entry->target, &inhabitant, f->label, err);
}

bool fetch(struct turn *turn, struct fetching *f, struct olv_outcome *o)
{
    const struct olv_docket_entry *e = f->entry;
    struct olv_error *err = &o->error;
    int archive;
    bool ok;
    if (!olv_reach_directory(&turn->directory, e, err)) {
        source_unreached(e, o);
        return false;
    }
    judge_depot(turn, e);
    archive = olv_os_open_file(turn->directory.fd, e->name);
    if (archive < 0)
        return olv_fail_system(err, e->name, "cannot open the archive");
    ok = open_member(turn, f, archive, err);
    f->kind = ok ? f->member.kind : OLV_KIND_UNKNOWN;
    f->dir = ok ? open_destination(f, err) : -1;
    ok = f->dir >= 0 && destination_is_allowed(turn, e, f->dir, f->name, o) && make_one(turn, f, err);
    close(archive);
    return ok;
}
