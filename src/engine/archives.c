/* SPDX-License-Identifier: Apache-2.0 */
/* Archives that are not live, at the start of every run: removes what a cut-short run was making, and retries
 * removing what was to go. */
#include "engine/run.h"

#include "base/arena.h"
#include "base/grow.h"
#include "depot/catalogue.h"
#include "depot/elsewhere.h"
#include "depot/reread.h"
#include "depot/trust.h"
#include "file/removal.h"
#include "os/files.h"
#include "os/os.h"
#include "source/ending.h"
#include "state/register.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { LONGEST_PATH = 4096 };

struct clearing {
    struct olv_run *run;
    int64_t *rows; /* rows to delete; owned */
    size_t count;
    const char *of_run;      /* whose lines these are; "": this run's, which begins with the first of them */
    bool has_lines, is_over; /* lines were added, and must be durable first; they cannot be written */
    struct olv_error error;
};

/* Lines belong to an open run: beyond the checkpoint no others are trusted. */
static bool begin_lines(struct clearing *c)
{
    if (!c->has_lines && !c->is_over && !*c->of_run)
        c->is_over = !run_begin(c->run, &c->error);
    c->has_lines |= !c->is_over;
    return !c->is_over;
}

static const char *run_of(const struct clearing *c)
{
    return *c->of_run ? c->of_run : c->run->id;
}

static const char *path_of(const struct olv_unfinished_archive *u, char path[LONGEST_PATH])
{
    snprintf(path, LONGEST_PATH, "%.3800s/%.255s", u->depot_path, u->name);
    return path;
}

static void archives_tell(struct clearing *c, const struct olv_unfinished_archive *u, const char *what,
                          int sys)
{
    char path[LONGEST_PATH];
    olv_observe_trouble(c->run->session->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, path_of(u, path), what, sys});
}

static bool is_its_file(const struct olv_unfinished_archive *u, const struct olv_stat *stat)
{
    struct given file = {u->inode, u->has_born, u->born};
    return u->has_file && stat->kind == OLV_KIND_FILE && given_is(&file, stat);
}

/* What is to become of an archive that is not live, and of its row. */
enum fate {
    FATE_WAITS,     /* nothing now: a later run tries again */
    FATE_FORGOTTEN, /* nothing of it is there: its row goes */
    FATE_REMOVED,   /* the same, and it was removed just now */
    FATE_ADOPTED    /* it is live, and has a row of its own */
};

static enum fate waits(struct clearing *c, const struct olv_unfinished_archive *u, const char *what, int sys)
{
    archives_tell(c, u, what, sys);
    return FATE_WAITS;
}

static enum fate remove_made(struct clearing *c, int depot, const struct olv_unfinished_archive *u)
{
    return removal_unlink(REMOVAL_MADE, depot, u->name) == 0
               ? FATE_REMOVED
               : waits(c, u, "an unfinished archive cannot be removed", errno);
}

/* Removes one that was to go, if the file under its name is still that very archive. */
static enum fate clear_going(struct clearing *c, int depot, const struct olv_unfinished_archive *u)
{
    struct olv_error err = {0};
    char what[sizeof err.what + 64];
    enum olv_truth ended = ending_end_archive(c->run->session, depot, u, &err);
    if (ended == OLV_YES)
        return FATE_REMOVED;
    snprintf(what, sizeof what, "an archive due for removal stays: %s", err.what);
    if (ended == OLV_NO && err.code != OLV_REFUSED)
        return waits(c, u,
                     "an archive due for removal is not what the catalogue knows, or damaged, so it stays: "
                     "look at it with `olvido contents`, and remove or rename it by hand",
                     0);
    return waits(c, u, what, err.sys);
}

/* ---- one that was being made ---- */

struct judging_made {
    struct clearing *clearing;
    bool is_elsewhere; /* all of its members are */
};

static bool may_stay(void *self, int64_t row, struct olv_error *err)
{
    struct judging_made *j = self;
    return elsewhere_are_all(j->clearing->run->session->catalogue, row, &j->is_elsewhere, err) &&
           !j->is_elsewhere;
}

static void ignore_fault(void *self, const struct olv_depot_fault *fault)
{
    (void)self;
    (void)fault;
}

/* It has its name, so it is whole: it goes only if everything in it is elsewhere. Else it may be the only
 * copy (the state directory was restored from the midst of that run), and becomes live. */
static enum fate clear_named(struct clearing *c, int depot, const struct olv_unfinished_archive *u)
{
    struct judging_made j = {c, false};
    struct reread_result result;
    struct olv_error err = {0};
    const struct reread_options options = {.catalogue = c->run->session->catalogue,
                                           .depot = u->depot,
                                           .path = u->depot_path,
                                           .dir = depot,
                                           .may_stay = may_stay,
                                           .replaces = u->archive,
                                           .fault = ignore_fault,
                                           .self = &j,
                                           .observer = c->run->session->options.observer};
    if (reread_archive(&options, u->name, &result, &err))
        return FATE_ADOPTED;
    if (j.is_elsewhere)
        return remove_made(c, depot, u);
    if (err.code != OLV_BROKEN)
        return waits(c, u, "an archive that a run did not finish cannot be read", err.sys);
    archives_tell(
        c, u,
        "an archive that a run did not finish is damaged, and may be the only copy, so it stays: take out "
        "what can be read with `olvido extract`",
        0);
    return FATE_FORGOTTEN;
}

/* Its temporary name is unique to the run, so whatever is there was written for it, and no original has gone.
 */
static void remove_temporary(int depot, const struct olv_unfinished_archive *u)
{
    struct olv_stat stat;
    if (strncmp(u->temporary, ".olvido-", 8) == 0 && olv_os_stat(depot, u->temporary, &stat) &&
        stat.kind == OLV_KIND_FILE)
        removal_unlink(REMOVAL_TEMPORARY, depot, u->temporary);
}

/* A different file under its name is not touched. */
static enum fate fate_of(struct clearing *c, int depot, const struct olv_unfinished_archive *u)
{
    struct olv_stat stat;
    if (u->state == OLV_ARCHIVE_MAKING)
        remove_temporary(depot, u);
    if (!u->has_file)
        return FATE_FORGOTTEN;
    if (!olv_os_stat(depot, u->name, &stat))
        return errno == ENOENT ? FATE_FORGOTTEN : FATE_WAITS;
    if (!is_its_file(u, &stat))
        return FATE_FORGOTTEN;
    return u->state == OLV_ARCHIVE_GOING ? clear_going(c, depot, u) : clear_named(c, depot, u);
}

static bool clear_one(struct clearing *c, const struct olv_unfinished_archive *u)
{
    struct olv_error why = {0};
    int depot = depot_open_trusted(u->depot_path, &why);
    char path[LONGEST_PATH];
    enum fate fate;
    if (depot < 0) {
        archives_tell(
            c, u,
            why.code == OLV_UNTRUSTED
                ? "an archive due for removal, or unfinished, stays because others can write its depot"
                : "the depot of an archive due for removal, or unfinished, cannot be reached",
            why.sys);
        return true;
    }
    fate = fate_of(c, depot, u);
    if (fsync(depot) != 0)
        fate = fate == FATE_ADOPTED ? fate : FATE_WAITS;
    close(depot);
    if (fate == FATE_WAITS || fate == FATE_ADOPTED)
        return true;
    if (fate == FATE_REMOVED || u->state == OLV_ARCHIVE_GOING) {
        if (!begin_lines(c))
            return true;
        olv_ledger_removal(c->run->ledger, run_of(c), path_of(u, path), fate == FATE_REMOVED);
    } else if (!u->has_file) { /* nothing was recorded of it, and its name is needed again */
        return catalogue_forget(c->run->session->catalogue, u->archive, &c->error);
    }
    if (grow_by_one(&c->rows, c->count, sizeof *c->rows))
        c->rows[c->count++] = u->archive;
    return true;
}

/* ---- all of them ---- */

struct listing {
    struct olv_unfinished_archive *items; /* owned; their strings are in the arena */
    size_t count, cap;
    struct olv_arena arena;
    bool has_failed;
};

static const char *keep(struct listing *l, const char *string)
{
    const char *kept = olv_arena_copy(&l->arena, string, strlen(string));
    l->has_failed |= !kept;
    return kept;
}

static bool list_one(void *self, const struct olv_unfinished_archive *u)
{
    struct listing *l = self;
    struct olv_unfinished_archive *to;
    if (!grow(&l->items, l->count, &l->cap, sizeof *l->items)) {
        l->has_failed = true;
        return false;
    }
    to = &l->items[l->count++];
    *to = *u;
    to->depot = keep(l, u->depot);
    to->depot_path = keep(l, u->depot_path);
    to->name = keep(l, u->name);
    to->temporary = keep(l, u->temporary);
    to->run = keep(l, u->run);
    if (u->manner_len)
        to->manner = (const uint8_t *)olv_arena_copy(&l->arena, u->manner, u->manner_len);
    l->has_failed |= u->manner_len && !to->manner;
    return !l->has_failed;
}

/* Listed before, because rows come and go meanwhile. First those that got no further than a row: to read an
 * archive anew takes one, too. */
static bool clear_all(struct clearing *c, struct olv_error *err)
{
    struct listing l = {0};
    struct olv_catalogue *catalogue = c->run->session->catalogue;
    bool ok = olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_MAKING, list_one, &l, err) &&
              olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_GOING, list_one, &l, err) &&
              (!l.has_failed || olv_fail_memory(err));
    for (int pass = 0; ok && pass < 2; pass++)
        for (size_t i = 0; ok && i < l.count; i++)
            if (l.items[i].has_file == (pass == 1) && !(ok = clear_one(c, &l.items[i])))
                *err = c->error;
    free(l.items);
    olv_arena_free(&l.arena);
    return ok;
}

/* ---- those that are there ---- */

struct telling {
    struct olv_run *run;
    const char *of_run;
    bool any;
};

static bool tell_one(void *self, const struct olv_stored_archive *a)
{
    struct telling *t = self;
    char path[LONGEST_PATH];
    if (!a->manifest)
        return true; /* the catalogue has been damaged */
    snprintf(path, sizeof path, "%.3800s/%.255s", a->depot_path, a->name);
    olv_ledger_archive(t->run->ledger, &(struct olv_archive_facts){t->of_run, path, a->archive_id, a->length,
                                                                   a->members, a->manifest});
    return t->any = true;
}

bool run_tell_archives(struct olv_run *run, const char *of_run, bool *any, struct olv_error *err)
{
    struct telling t = {run, of_run, false};
    for (size_t i = 0; i < run->beside_count; i++) {
        const struct archive_made *a = &run->beside[i];
        olv_ledger_archive(run->ledger, &(struct olv_archive_facts){of_run, a->path, a->id, a->length,
                                                                    a->members, a->manifest});
    }
    *any =
        run->session->catalogue && catalogue_unrecorded(run->session->catalogue, tell_one, &t, err) && t.any;
    return err->code == OLV_OK;
}

static bool find_one(void *self, const struct olv_stored_archive *archive)
{
    bool *any = self;
    (void)archive;
    *any = true;
    return false;
}

/* Of runs that were cut short before recording them. */
static bool complete_lines(struct clearing *c, struct olv_error *err)
{
    struct olv_run *run = c->run;
    bool any = false, is_ours = !*c->of_run;
    if (!catalogue_unrecorded(run->session->catalogue, find_one, &any, err))
        return false;
    if (any)
        begin_lines(c);
    if (!c->has_lines) {
        *err = c->error;
        return err->code == OLV_OK;
    }
    if (is_ours)
        return run_end(run, &(struct olv_end_facts){run->id, "finished", 0, 0, 0, 0}, err);
    return run_tell_archives(run, c->of_run, &any, err) && run_sync(run, err) && run_checkpoint(run, err) &&
           (!any || catalogue_note_recorded(run->session->catalogue, err));
}

/* The clearing was a run of its own; begin another one. */
static void begin_anew(struct olv_run *run)
{
    struct olv_error ignored = {0}; /* then the id is taken, and no run begins with it */
    close(run->directory);
    olv_os_close(run->moves.fd);
    run->directory = run->moves.fd = -1;
    run_make_id(run, &ignored);
}

bool run_clear_archives(struct olv_run *run, const char *of_run, struct olv_error *why)
{
    struct clearing c = {.run = run, .of_run = of_run};
    struct olv_error err = {0};
    bool ok = !run->session->catalogue || (clear_all(&c, &err) && complete_lines(&c, &err));
    for (size_t i = 0; ok && i < c.count; i++)
        ok = catalogue_forget(run->session->catalogue, c.rows[i], &err);
    if (!ok)
        olv_observe_trouble(run->session->options.observer,
                            (struct olv_trouble){OLV_TROUBLE_FAILED, "", err.what, err.sys});
    if (run->directory >= 0)
        begin_anew(run);
    free(c.rows);
    if (ok || !c.has_lines || *of_run)
        return true;
    *why = err; /* if it was begun and cannot be ended, the next run settles it */
    return false;
}
