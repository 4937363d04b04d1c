/* SPDX-License-Identifier: Apache-2.0 */
/* The archives of a depot, one after the other; each by itself is reread.c. */
#include "olvido/depot_care.h"

#include "base/arena.h"
#include "depot/catalogue.h"
#include "depot/reread.h"
#include "os/os.h"

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

/* All names of archives in the directory, in order; NULL at the end. */
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
            char **grown;
            if (!is_archive_name(entry.name))
                continue;
            grown = realloc(names, (*count + 1) * sizeof *names);
            ok = grown && (grown[*count] = olv_arena_copy(arena, entry.name, entry.len));
            names = grown ? grown : names;
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

static uint64_t sum_lengths(int dir, char *const *names, size_t count)
{
    uint64_t sum = 0;
    struct olv_stat stat;
    for (size_t i = 0; i < count; i++)
        if (olv_os_stat(dir, names[i], &stat))
            sum += stat.size_bytes;
    return sum;
}

struct forgetting {
    struct olv_catalogue *catalogue;
    const char *depot;
    int64_t id; /* of one of its archives; 0: there is none */
};

static bool find_one(void *self, const struct olv_stored_archive *archive)
{
    struct forgetting *f = self;
    if (strcmp(archive->depot, f->depot) == 0)
        f->id = archive->id;
    return f->id == 0;
}

/* What was known of the depot. */
static bool forget_all(struct olv_catalogue *catalogue, const char *depot, struct olv_error *err)
{
    struct forgetting f = {catalogue, depot, 0};
    for (;;) {
        f.id = 0;
        if (!olv_catalogue_archives(catalogue, find_one, &f, err))
            return false;
        if (f.id == 0)
            return true;
        if (!catalogue_forget(catalogue, f.id, err))
            return false;
    }
}

static bool rebuild_all(struct reread_options *o, struct olv_depot_report *report, struct olv_error *err)
{
    struct olv_arena arena = {0};
    size_t count;
    char **names = list_archives(o->dir, &arena, &count, err);
    bool ok = err->code == OLV_OK && forget_all(o->catalogue, o->depot, err);
    o->of_archives = count;
    o->of_bytes = ok ? sum_lengths(o->dir, names, count) : 0;
    for (size_t i = 0; ok && i < count; i++) {
        struct olv_error why = {0};
        struct reread_result result;
        bool is_known = reread_archive(o, names[i], &result, &why);
        o->archives = ++report->archives;
        o->bytes = report->bytes += result.bytes;
        report->members += is_known ? result.members : 0;
        report->damaged_archives += !is_known || result.is_damaged;
        if (is_known)
            continue;
        ok = why.code != OLV_INTERRUPTED && why.code != OLV_STATE && why.code != OLV_MEMORY;
        if (!ok)
            *err = why;
        o->fault(o->self, &(struct olv_depot_fault){o->depot, names[i], why.what, ""});
    }
    free(names);
    olv_arena_free(&arena);
    return ok;
}

/* A catalogue that cannot be read is set aside, not lost. */
static struct olv_catalogue *open_or_begin_anew(const char *state, struct olv_error *err)
{
    struct olv_catalogue *catalogue = catalogue_open(state, true, err);
    char path[PATH_MAX], aside[PATH_MAX];
    if (catalogue ? catalogue_is_sound(catalogue) : err->code != OLV_STATE)
        return catalogue;
    olv_catalogue_close(catalogue);
    snprintf(path, sizeof path, "%.4000s/catalogue.db", state);
    snprintf(aside, sizeof aside, "%.4000s/catalogue.db.set-aside", state);
    if (rename(path, aside) != 0)
        return NULL;
    olv_error_clear(err);
    return catalogue_open(state, true, err);
}

bool olv_depot_rebuild(const char *state, const char *depot, const char *path,
                       void (*fault)(void *self, const struct olv_depot_fault *fault), void *self,
                       const struct olv_observer *observer, struct olv_depot_report *report,
                       struct olv_error *err)
{
    struct reread_options o = {.depot = depot,
                               .path = path,
                               .dir = olv_os_open_path(path),
                               .fault = fault,
                               .self = self,
                               .observer = observer};
    bool ok = o.dir >= 0 || olv_fail_system(err, path, "cannot open the depot");
    *report = (struct olv_depot_report){0};
    ok = ok && (o.catalogue = open_or_begin_anew(state, err)) && rebuild_all(&o, report, err);
    olv_catalogue_close(o.catalogue);
    if (o.dir >= 0)
        close(o.dir);
    return ok;
}
