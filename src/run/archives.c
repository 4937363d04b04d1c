/* SPDX-License-Identifier: Apache-2.0 */
/* Archives that are not live, at the beginning of every run: what a run was making when it was cut short
 * goes, and so does what was to go and could not. */
#include "run/run.h"

#include "depot/catalogue.h"
#include "hold/hold.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { LONGEST_PATH = 4096 };

struct clearing {
    struct olv_run *run;
    int64_t *rows; /* that can be forgotten; owned */
    size_t count;
    bool has_lines; /* of the ledger, which come to the disk before */
};

static const char *path_of(const struct olv_unfinished_archive *u, char path[LONGEST_PATH])
{
    snprintf(path, LONGEST_PATH, "%.3800s/%.255s", u->depot_path, u->name);
    return path;
}

static void tell(struct clearing *c, const struct olv_unfinished_archive *u, const char *what, int sys)
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

/* Whether nothing of it is there any more. Another file under its name is not touched. */
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
    tell(c, u,
         u->state == OLV_ARCHIVE_GOING ? "an archive that is to go cannot be removed"
                                       : "an archive that was not finished cannot be removed",
         errno);
    return false;
}

/* Under its temporary name, which is the run's alone, it is whatever has been written of it. */
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
    int depot = olv_os_open_path(u->depot_path);
    char path[LONGEST_PATH];
    int64_t *grown;
    bool is_gone, is_by_us;
    if (depot < 0) {
        tell(c, u, "the depot of an archive that is to go, or was not finished, cannot be reached", errno);
        return true;
    }
    if (u->state == OLV_ARCHIVE_MAKING)
        remove_temporary(depot, u);
    is_gone = remove_file(c, depot, u, &is_by_us) && fsync(depot) == 0;
    close(depot);
    if (is_gone && u->state == OLV_ARCHIVE_GOING) {
        olv_ledger_removal(c->run->ledger, path_of(u, path), is_by_us);
        c->has_lines = true;
    }
    grown = is_gone ? realloc(c->rows, (c->count + 1) * sizeof *grown) : NULL;
    if (grown) {
        c->rows = grown;
        c->rows[c->count++] = u->archive;
    }
    return true;
}

void run_clear_archives(struct olv_run *run)
{
    struct clearing c = {.run = run};
    struct olv_error err = {0};
    bool ok = !run->catalogue ||
              (olv_catalogue_unfinished(run->catalogue, OLV_ARCHIVE_MAKING, clear_one, &c, &err) &&
               olv_catalogue_unfinished(run->catalogue, OLV_ARCHIVE_GOING, clear_one, &c, &err));
    ok = ok && (!c.has_lines || (run_sync(run, &err) && run_checkpoint(run, &err)));
    for (size_t i = 0; ok && i < c.count; i++)
        ok = catalogue_forget(run->catalogue, c.rows[i], &err);
    if (!ok)
        olv_observe_trouble(run->options.observer,
                            (struct olv_trouble){OLV_TROUBLE_FAILED, "", err.what, err.sys});
    free(c.rows);
}
