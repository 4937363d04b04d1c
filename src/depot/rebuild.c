/* SPDX-License-Identifier: Apache-2.0 */
/* Reads the archives of a depot, one after the other, into a second database that replaces the catalogue at
 * the end; reread.c reads a single archive. */
#include "olvido/depot_care.h"

#include "base/arena.h"
#include "base/grow.h"
#include "depot/catalogue.h"
#include "depot/reread.h"
#include "os/os.h"

#include <errno.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* ---- the depot ---- */

static bool is_archive_name(const char *name)
{
    return name[0] != '.' && olv_pack_of_name(name, NULL) != OLV_CODEC_COUNT;
}

static int by_name(const void *a, const void *b)
{
    const char *const *x = a, *const *y = b;
    return strcmp(*x, *y);
}

/* The names of all archives in the directory, sorted; ends with NULL. */
static char **list_archives(int dir, struct olv_arena *arena, size_t *count, struct olv_error *err)
{
    enum { BUFFER = 32768 };
    char *buffer = malloc(BUFFER), **names = NULL;
    struct olv_os_listing listing;
    struct olv_os_name entry;
    bool is_listed = buffer && olv_os_list_begin(&listing, dir), ok = is_listed;
    ssize_t got = 0;
    *count = 0;
    while (ok && (got = olv_os_list_read(&listing, buffer, BUFFER)) > 0)
        for (size_t at = 0; ok && olv_os_next_name(buffer, (size_t)got, &at, &entry);) {
            if (!is_archive_name(entry.name))
                continue;
            ok = grow_by_one(&names, *count, sizeof *names) &&
                 (names[*count] = olv_arena_copy(arena, entry.name, entry.len));
            *count += ok;
        }
    if (is_listed)
        olv_os_list_end(&listing);
    free(buffer);
    if (!ok || got < 0)
        olv_fail_system(err, "", "cannot read the directory of the depot");
    if (names)
        qsort(names, *count, sizeof *names, by_name);
    return names;
}

bool olv_depots_are_empty(const struct olv_policy *policy, struct olv_error *err)
{
    uint64_t sum = 0;
    for (size_t i = 0; i < policy->depot_count; i++) {
        const char *path = policy->depots[i].path;
        struct olv_arena arena = {0};
        size_t count = 0;
        int dir = olv_os_open_path(path);
        if (dir >= 0)
            free(list_archives(dir, &arena, &count, err));
        else if (!olv_os_is_absent(errno))
            olv_fail_system(err, path, "cannot open the depot");
        olv_os_close(dir);
        olv_arena_free(&arena);
        if (err->code != OLV_OK)
            return false;
        sum += count;
    }
    if (sum == 0)
        return true;
    olv_fail(err, OLV_BROKEN,
             "there is no catalogue, and the policy's depots have %llu archive%s: nothing was verified",
             (unsigned long long)sum, sum == 1 ? "" : "s");
    return olv_error_hint(err, "`olvido depot rebuild` rebuilds it from the archives");
}

static uint64_t sum_lengths(int dir, char *const *names, size_t count)
{
    uint64_t sum = 0;
    struct olv_stat stat;
    for (size_t i = 0; i < count; i++)
        if (olv_os_stat(dir, names[i], &stat))
            sum += stat.size_bytes;
    return sum;
}

/* ---- what is there no more ---- */

struct forgetting {
    struct olv_catalogue *catalogue;
    const char *depot;
    int dir;
    int64_t row; /* of an archive without a file; 0: none */
    struct olv_error error;
};

static bool find_missing(void *self, const struct olv_stored_archive *archive)
{
    struct forgetting *f = self;
    struct olv_stat stat;
    if (strcmp(archive->depot, f->depot) != 0 || olv_os_stat(f->dir, archive->name, &stat))
        return true;
    if (errno == ENOENT)
        f->row = archive->id;
    else
        olv_fail_system(&f->error, archive->name, "cannot look at the archive");
    return false;
}

/* Deletes archives of the depot whose files are gone. */
static bool forget_missing(struct olv_catalogue *catalogue, const char *depot, int dir, struct olv_error *err)
{
    struct forgetting f = {.catalogue = catalogue, .depot = depot, .dir = dir};
    for (;;) {
        f.row = 0;
        if (!olv_catalogue_archives(catalogue, find_missing, &f, err))
            return false;
        if (f.error.code != OLV_OK) {
            *err = f.error;
            return false;
        }
        if (f.row == 0)
            return true;
        if (!catalogue_forget(catalogue, f.row, err))
            return false;
    }
}

/* ---- one archive after the other ---- */

/* An error that ends the rebuild, instead of being one archive's fault. */
static bool is_over(const struct olv_error *why)
{
    return why->code == OLV_INTERRUPTED || why->code == OLV_STATE || why->code == OLV_MEMORY;
}

/* An archive that cannot be read keeps its old entry, if any. */
static bool rebuild_all(struct reread_options *o, struct olv_depot_report *report, struct olv_error *err)
{
    struct olv_arena arena = {0};
    size_t count;
    char **names = list_archives(o->dir, &arena, &count, err);
    bool ok = err->code == OLV_OK && forget_missing(o->catalogue, o->depot, o->dir, err);
    o->of_archives = count;
    o->of_bytes = ok ? sum_lengths(o->dir, names, count) : 0;
    for (size_t i = 0; ok && i < count; i++) {
        struct olv_error why = {0};
        struct reread_result result;
        bool is_known = reread_archive(o, names[i], &result, &why);
        ok = is_known || !is_over(&why);
        o->archives = report->archives += ok;
        o->bytes = report->bytes += result.bytes;
        report->members += is_known ? result.members : 0;
        report->damaged_archives += ok && (is_known ? result.is_damaged : why.code == OLV_BROKEN);
        if (!ok)
            *err = why;
        else if (!is_known)
            o->fault(o->self, &(struct olv_depot_fault){o->depot, names[i], why.what, ""});
    }
    free(names);
    olv_arena_free(&arena);
    return ok;
}

/* ---- beside the catalogue, and then in its place ---- */

static const char BESIDE[] = "catalogue.reading.db", ASIDE[] = "catalogue.db.set-aside";

static void remove_database(const char *state, const char *name)
{
    static const char *const ends[] = {"", "-wal", "-shm", "-journal"};
    char path[PATH_MAX];
    for (size_t i = 0; i < sizeof ends / sizeof *ends; i++) {
        snprintf(path, sizeof path, "%.4000s/%s%s", state, name, ends[i]);
        unlink(path);
    }
}

/* A damaged catalogue is set aside, not lost, and the rebuilt one is all that is known. One that cannot be
 * opened or read this time stays in place. */
static struct olv_catalogue *open_or_set_aside(const char *state, bool *is_sound, struct olv_error *err)
{
    struct olv_catalogue *catalogue = catalogue_open(state, DATABASE_MAKE, err);
    char path[PATH_MAX], aside[PATH_MAX];
    bool is_known =
        catalogue ? catalogue_check(catalogue, is_sound, err) : err->code == OLV_STATE && err->sys == 0;
    if (!catalogue)
        *is_sound = false;
    if (is_known && *is_sound)
        return catalogue;
    olv_catalogue_close(catalogue);
    if (!is_known)
        return NULL;
    snprintf(path, sizeof path, "%.4000s/catalogue.db", state);
    snprintf(aside, sizeof aside, "%.4000s/%s", state, ASIDE);
    if (rename(path, aside) != 0) {
        olv_fail_system(err, path, "cannot set the damaged catalogue aside");
        return NULL;
    }
    remove_database(state, "catalogue.db"); /* its log belongs to the one set aside */
    olv_error_clear(err);
    return catalogue_open(state, DATABASE_MAKE, err);
}

/* Rebuilds in a copy of what is known, which enters the catalogue in one transaction: whatever happens before
 * leaves the catalogue as it was. */
static bool rebuild_beside(const char *state, struct reread_options *o, struct olv_depot_report *report,
                           struct olv_error *err)
{
    bool is_sound, ok;
    struct olv_catalogue *known = open_or_set_aside(state, &is_sound, err);
    remove_database(state, BESIDE);
    o->catalogue = known ? catalogue_open_as(state, BESIDE, DATABASE_MAKE, err) : NULL;
    ok = o->catalogue && (!is_sound || catalogue_copy(known, o->catalogue, err)) &&
         rebuild_all(o, report, err) && catalogue_copy(o->catalogue, known, err);
    olv_catalogue_close(o->catalogue);
    olv_catalogue_close(known);
    remove_database(state, BESIDE);
    return ok;
}

bool depot_rebuild(const char *state, struct reread_options *o, struct olv_depot_report *report,
                   struct olv_error *err)
{
    *report = (struct olv_depot_report){0};
    return rebuild_beside(state, o, report, err);
}
