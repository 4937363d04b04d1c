/* SPDX-License-Identifier: Apache-2.0 */
/* Archives that are not live, at the start of every run: removes what a cut-short run was making, and retries
 * removing what was to go. */
#include "engine/run.h"

#include "base/grow.h"
#include "depot/catalogue.h"
#include "depot/trust.h"
#include "os/os.h"
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
    olv_observe_trouble(c->run->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, path_of(u, path), what, sys});
}

static bool is_its_file(const struct olv_unfinished_archive *u, const struct olv_stat *stat)
{
    struct given file = {u->inode, u->has_born, u->born};
    return u->has_file && stat->kind == OLV_KIND_FILE && given_is(&file, stat);
}

/* Whether nothing is left of it. A different file under its name is not touched. */
static bool remove_file(struct clearing *c, int depot, const struct olv_unfinished_archive *u, bool *is_by_us)
{
    struct olv_stat stat;
    *is_by_us = false;
    if (!olv_os_stat(depot, u->name, &stat))
        return errno == ENOENT;
    if (!is_its_file(u, &stat))
        return true;
    *is_by_us = unlinkat(depot, u->name, 0) == 0;
    if (*is_by_us)
        return true;
    archives_tell(c, u,
                  u->state == OLV_ARCHIVE_GOING ? "an archive due for removal cannot be removed"
                                                : "an unfinished archive cannot be removed",
                  errno);
    return false;
}

/* Its temporary name is unique to the run, so whatever is there was written for it. */
static void remove_temporary(int depot, const struct olv_unfinished_archive *u)
{
    struct olv_stat stat;
    if (strncmp(u->temporary, ".olvido-", 8) == 0 && olv_os_stat(depot, u->temporary, &stat) &&
        stat.kind == OLV_KIND_FILE)
        unlinkat(depot, u->temporary, 0);
}

static bool clear_one(void *self, const struct olv_unfinished_archive *u)
{
    struct clearing *c = self;
    struct olv_error why = {0};
    int depot = depot_open_trusted(u->depot_path, &why);
    char path[LONGEST_PATH];
    bool is_gone, is_by_us;
    if (depot < 0) {
        archives_tell(
            c, u,
            why.code == OLV_UNTRUSTED
                ? "an archive due for removal, or unfinished, stays because others can write its depot"
                : "the depot of an archive due for removal, or unfinished, cannot be reached",
            why.sys);
        return true;
    }
    if (u->state == OLV_ARCHIVE_MAKING)
        remove_temporary(depot, u);
    is_gone = remove_file(c, depot, u, &is_by_us) && fsync(depot) == 0;
    close(depot);
    if (is_gone && u->state == OLV_ARCHIVE_GOING && (is_gone = begin_lines(c)))
        olv_ledger_removal(c->run->ledger, run_of(c), path_of(u, path), is_by_us);
    if (is_gone && grow_by_one(&c->rows, c->count, sizeof *c->rows))
        c->rows[c->count++] = u->archive;
    return true;
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
    *any = run->lent.catalogue && catalogue_unrecorded(run->lent.catalogue, tell_one, &t, err) && t.any;
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
    if (!catalogue_unrecorded(run->lent.catalogue, find_one, &any, err))
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
           (!any || catalogue_note_recorded(run->lent.catalogue, err));
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
    bool ok = !run->lent.catalogue ||
              (olv_catalogue_unfinished(run->lent.catalogue, OLV_ARCHIVE_MAKING, clear_one, &c, &err) &&
               olv_catalogue_unfinished(run->lent.catalogue, OLV_ARCHIVE_GOING, clear_one, &c, &err) &&
               complete_lines(&c, &err));
    for (size_t i = 0; ok && i < c.count; i++)
        ok = catalogue_forget(run->lent.catalogue, c.rows[i], &err);
    if (!ok)
        olv_observe_trouble(run->options.observer,
                            (struct olv_trouble){OLV_TROUBLE_FAILED, "", err.what, err.sys});
    if (run->directory >= 0)
        begin_anew(run);
    free(c.rows);
    if (ok || !c.has_lines || *of_run)
        return true;
    *why = err; /* if it was begun and cannot be ended, the next run settles it */
    return false;
}
