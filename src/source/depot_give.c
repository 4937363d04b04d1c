/* SPDX-License-Identifier: Apache-2.0 */
/* Gives members of archives back, to their original place or another, with everything they had. The archive
 * is only read. In a group: write all new files with their attributes, sync them, read them back, record them
 * in the register, and only then give them their names. */
#include "source/depot_ways.h"

#include "archive/directories.h"
#include "archive/restore.h"
#include "depot/vault.h"
#include "file/parents.h"
#include "file/room.h"
#include "os/os.h"
#include "source/depot_member.h"
#include "source/destination.h"
#include "source/judged.h"
#include "source/records.h"
#include "source/settling.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static bool open_state(struct turn *turn, struct olv_error *err)
{
    struct giving *g = turn_state(turn, sizeof *g);
    return (g && (g->vault || (g->vault = vault_new()))) || olv_fail_memory(err);
}

static void depot_give_close_state(void *state)
{
    struct giving *g = state;
    if (!g)
        return;
    vault_free(g->vault);
    olv_text_free(&g->depot);
    directories_free(g->directories);
    free(g);
}

/* ---- making ---- */

static struct fetching *depot_give_begin(struct turn *turn, const struct group *g, size_t i)
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

/* What is no file was made in a room; a directory was recorded before it got its name. */
static void know_made(struct fetching *f, struct olv_outcome *o)
{
    struct proven *p = &f->new;
    p->fresh = f->fresh.fd >= 0 ? &f->fresh : NULL;
    p->digest = f->has_digest ? f->digest : NULL;
    p->has_made = !p->fresh && f->room.dir >= 0 && olv_os_stat(f->room.dir, f->room.thing, &p->made);
    if (!p->fresh && f->room.dir >= 0 && !p->has_made) {
        olv_fail_system(&o->error, "", "cannot look at what was made");
        outcome_failed(o);
    }
    p->is_spared = true;
    p->wanted = f->name;
    olv_text_puts(&p->path, f->entry->target);
}

static bool depot_give_make(struct turn *turn, struct group *g, struct olv_error *err)
{
    if (!open_state(turn, err))
        return false;
    for (size_t i = 0; i < g->count; i++) {
        struct olv_outcome *o = &g->outcomes[i];
        if (o->result != OLV_PENDING)
            continue;
        g->made[i] = depot_give_begin(turn, g, i);
        if (olv_observe_interrupted(turn->session->options.observer) && proven_goes_on(g, i))
            outcome_interrupted(o);
        if (proven_goes_on(g, i) && !fetch(turn, g->made[i], o) && o->result == OLV_PENDING)
            outcome_failed(o);
        if (proven_goes_on(g, i))
            know_made(g->made[i], o);
    }
    proven_sync(g);
    proven_compare(turn, g);
    proven_record(turn, g);
    return true;
}

/* ---- in its turn ---- */

static bool depot_give_publish(const struct turn *turn, struct fetching *f, struct olv_outcome *o)
{
    bool ok = true;
    if (f->new.fresh)
        return proven_publish(&f->new, f->entry, o);
    if (f->room.dir >= 0) { /* else it is a directory */
        ok = restore_rename(&f->room, f->name, &f->options, f->new.placed, &o->error);
        fetch_leave_room(turn, f);
    }
    if (!ok)
        proven_refused(f->entry, o);
    return ok;
}

static void depot_give_apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct fetching *f = turn->made.here;
    if (!f || !depot_give_publish(turn, f, o))
        return;
    fresh_keep(&f->fresh);
    o->result = OLV_DONE;
    o->digest = f->has_digest ? f->digest : NULL;
    destination_note(o, &f->new.path, e->target, f->new.placed);
    destination_touch(turn, f->dir);
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
        olv_os_close(f->dir);
        proven_free(&f->new);
        free(f);
    }
}

/* The other name of a hard link must be in place first. */
static bool is_alone(const struct olv_docket_entry *e)
{
    return *e->location->twin;
}

/* ---- after a crash ---- */

static enum olv_truth depot_give_applied(struct turn *turn, const struct olv_docket_entry *e,
                                         struct olv_outcome *o)
{
    char label[FRESH_LABEL], placed[NAME_MAX + 1];
    struct settling_search s;
    struct olv_error ignored = {0};
    struct olv_stat stat;
    const char *name;
    int fd = destination_open(e->target, &name, &ignored);
    enum olv_truth found;
    bool is_there, is_directory;
    turn_label(label, turn, turn->sequence);
    parents_finish(e->target, label);
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
        destination_note(o, &turn->scratch.placed, e->target, placed);
    close(fd);
    o->result = is_directory ? OLV_FAILED : OLV_DONE;
    if (is_directory)
        olv_fail(&o->error, OLV_SYSTEM,
                 "made, but the run was cut short before it had its mode and times; recover it again");
    return found;
}

/* Recovered directories get their times when nothing more goes into them. */
static bool depot_give_finish(struct turn *turn,
                              void (*failed)(void *self, const char *path, const struct olv_error *why),
                              void *self, struct olv_error *err)
{
    struct restore_options options = {OLV_REFUSE, geteuid() == 0, false, ""};
    struct giving *g = giving_of(turn);
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

const struct hooks depot_giving = {.needs = NEEDS_REGISTER | ASKS_ITSELF,
                                   .takes_several = true,
                                   .is_alone = is_alone,
                                   .make_group = depot_give_make,
                                   .apply = depot_give_apply,
                                   .free_group = drop,
                                   .end_run = depot_give_finish,
                                   .free_state = depot_give_close_state,
                                   .applied = depot_give_applied};
