/* SPDX-License-Identifier: Apache-2.0 */
#include "run/gather.h"

#include "archive/make.h"
#include "archive/unfinished.h"
#include "depot/catalogue.h"
#include "docket/each.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static bool is_other(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    bool *is_needed = self;
    (void)err;
    *is_needed |= e->act == OLV_ACT_ARCHIVE;
    return !*is_needed;
}

bool gather_is_needed(struct olv_spool *docket, bool *is_needed, struct olv_error *err)
{
    *is_needed = false;
    olv_docket_each(docket, is_other, is_needed, err);
    return err->code == OLV_OK;
}

/* ---- one archive ---- */

struct gathering {
    struct olv_run *run;
    uint64_t sequence;
    struct making *making;   /* the archive under way; NULL: none */
    char *words;             /* how: what it is for; owned */
    struct olv_how how;      /* the same, read */
    char *rule;              /* by which it is made; owned */
    int dir;                 /* in which it is made */
    struct olv_error failed; /* why the archive under way cannot go on */
    uint64_t files, bytes;
    uint64_t added; /* to the archive under way */
};

/* Members of an archive for a depot go into the catalogue, too. */
static void catalogue_member(struct gathering *g, const struct made_member *made)
{
    if (!made->error && *g->how.depot && g->failed.code == OLV_OK)
        catalogue_put_member(g->run->catalogue, made, &g->failed);
}

static void told(void *self, const struct made_member *made)
{
    struct gathering *g = self;
    catalogue_member(g, made);
    struct gathered_entry entry = {.is_in = !made->error, .has_digest = made->has_digest};
    memcpy(entry.digest, made->digest, sizeof entry.digest);
    if (!gathered_put(g->run->gathered, made->sequence, &entry, made->error) && g->failed.code == OLV_OK)
        olv_fail_system(&g->failed, "", "cannot write a temporary file");
}

/* Opens the directory of the archive. */
static bool open_directory(struct gathering *g, struct olv_error *err)
{
    const char *slash = strrchr(g->how.into, '/');
    char *directory = strndup(g->how.into, slash == g->how.into ? 1 : (size_t)(slash - g->how.into));
    g->dir = directory ? open(directory, O_RDONLY | O_DIRECTORY | O_CLOEXEC) : -1;
    if (g->dir < 0)
        olv_fail_system(err, directory ? directory : "", "cannot open the directory of the archive");
    free(directory);
    return g->dir >= 0;
}

static bool begin_catalogue(struct gathering *g, struct olv_error *err)
{
    if (!*g->how.depot)
        return true;
    return run_catalogue(g->run, err) && catalogue_begin(g->run->catalogue, err);
}

/* How the entry is to be archived; its words are kept, for the path points into them. */
static bool read_how(struct gathering *g, const struct olv_docket_entry *e, struct olv_error *err)
{
    char *words = strdup(e->how);
    struct olv_how how;
    if (!words)
        return olv_fail_memory(err);
    if (!olv_how_get(words, &how) || !*how.into) {
        free(words);
        return olv_fail(err, OLV_BROKEN, "the docket does not say where the archive is to be");
    }
    g->words = words;
    g->how = how;
    return true;
}

/* Of the archive while it has no name. */
static void label_of(const struct gathering *g, char out[FRESH_LABEL])
{
    snprintf(out, FRESH_LABEL, "%.24s-archive", g->run->id);
}

/* Before it is begun: so that the next run finds it, should this one be cut short. */
static bool note_unfinished(struct gathering *g, const char *name, uint64_t inode, struct olv_error *err)
{
    const char *slash = strrchr(g->how.into, '/');
    struct unfinished note = {.inode = inode};
    char label[FRESH_LABEL], temporary[FRESH_LABEL + 32];
    label_of(g, label);
    fresh_name(label, temporary);
    if (inode)
        snprintf(note.temporary, sizeof note.temporary, "%s", temporary);
    snprintf(note.path, sizeof note.path, "%.*s/%.255s", (int)(slash - g->how.into), g->how.into, name);
    return unfinished_note(g->run->directory, &note, err);
}

static bool begin_archive(struct gathering *g, const struct olv_docket_entry *e, struct olv_error *err)
{
    char label[FRESH_LABEL], temporary[FRESH_LABEL + 32];
    struct making_options options = {.label = label,
                                     .workers = olv_os_cpus(),
                                     .run = g->run->id,
                                     .rule = e->rule_name,
                                     .observer = g->run->options.observer,
                                     .files_before = g->files,
                                     .bytes_before = g->bytes,
                                     .told = told,
                                     .self = g};
    gathered_begin(g->run->gathered, g->sequence);
    g->added = 0;
    g->failed = (struct olv_error){0};
    label_of(g, label);
    if (!read_how(g, e, err))
        return false;
    g->rule = strdup(e->rule_name);
    if (!g->rule)
        return olv_fail_memory(err);
    if (!open_directory(g, &g->failed) || !begin_catalogue(g, &g->failed))
        return true;
    options.dir = g->dir;
    options.codec = g->how.codec;
    options.level = g->how.level;
    options.clock = g->how.clock;
    options.keeps = g->how.keeps;
    fresh_name(label, temporary);
    if (!note_unfinished(g, temporary, 0, err))
        return false;
    g->making = making_begin(&options, &g->failed);
    return true;
}

/* The archive has its place; from here on it is known. */
static bool end_catalogue(struct gathering *g, const char *path, struct olv_error *err)
{
    const char *slash = strrchr(path, '/');
    char *depot_path = strndup(path, slash == path ? 1 : (size_t)(slash - path));
    size_t manifest;
    const struct frame_list *frames = making_frames(g->making, &manifest);
    struct catalogue_archive archive = {.depot = g->how.depot,
                                        .depot_path = depot_path,
                                        .name = slash + 1,
                                        .run = g->run->id,
                                        .rule = g->rule,
                                        .codec = g->how.codec,
                                        .made = making_time(g->making),
                                        .length = making_length(g->making),
                                        .members = making_members(g->making),
                                        .bytes = making_bytes(g->making),
                                        .manifest_frame = manifest};
    bool ok = depot_path ? catalogue_end(g->run->catalogue, &archive, frames, err) : olv_fail_memory(err);
    free(depot_path);
    return ok;
}

/* In a depot an archive whose name is taken gets a number, before its suffix: "permits-2026-2.tar.zst". The
 * name is noted before it is given: a run that is cut short before the catalogue knows the archive has not
 * touched any original yet, and the next one removes it. */
static bool publish_as(struct gathering *g, const char *wanted, char placed[NAME_MAX + 1],
                       struct olv_error *err)
{
    enum { MOST = 10000 };
    char name[NAME_MAX + 1];
    size_t stem = 0;
    bool ok = false, is_archive = olv_pack_of_name(wanted, &stem) != OLV_CODEC_COUNT;
    snprintf(name, sizeof name, "%s", wanted);
    for (unsigned n = 2; !ok && n < MOST; n++) {
        olv_error_clear(err);
        ok = note_unfinished(g, name, making_inode(g->making), err) &&
             making_publish(g->making, name, OLV_REFUSE, placed, err);
        if (ok || err->code != OLV_EXISTS || !*g->how.depot || !is_archive)
            return ok;
        snprintf(name, sizeof name, "%.*s-%u%s", (int)stem, wanted, n, wanted + stem);
    }
    return ok;
}

static bool publish(struct gathering *g, struct olv_text *path, struct olv_error *err)
{
    const char *slash = strrchr(g->how.into, '/');
    char placed[NAME_MAX + 1];
    if (!making_finish(g->making, err))
        return false;
    if (making_members(g->making) == 0)
        return olv_fail(err, OLV_CHANGED, "nothing got into the archive, so there is none");
    if (!publish_as(g, slash + 1, placed, err))
        return false;
    olv_text_printf(path, "%.*s/%s", (int)(slash - g->how.into), g->how.into, placed);
    if (path->failed)
        return olv_fail_memory(err);
    return !*g->how.depot || end_catalogue(g, path->data, err);
}

/* An archive that failed is told once; its entries say so each. */
static bool end_archive(struct gathering *g, struct olv_error *err)
{
    struct olv_text path = {0};
    bool ok = true;
    if (!g->words)
        return true;
    if (g->failed.code == OLV_OK && !publish(g, &path, &g->failed))
        olv_error_at(&g->failed, g->how.into);
    ok = gathered_end(g->run->gathered, g->failed.code == OLV_OK ? path.data : NULL, &g->failed) ||
         olv_fail_memory(err);
    olv_text_free(&path);
    making_free(g->making);
    g->making = NULL;
    unfinished_clear(g->run->directory);
    if (g->dir >= 0)
        close(g->dir);
    g->dir = -1;
    if (g->run->catalogue)
        catalogue_abandon(g->run->catalogue);
    free(g->words);
    free(g->rule);
    g->words = g->rule = NULL;
    return ok;
}

/* ---- all of them ---- */

/* What cannot get in any more, because its archive failed. */
static bool put_failed(struct gathering *g, struct olv_error *err)
{
    struct gathered_entry entry = {.is_in = true}; /* as far as it is concerned; the archive says why not */
    return gathered_put(g->run->gathered, g->sequence, &entry, NULL) ||
           olv_fail_system(err, "", "cannot write a temporary file");
}

/* An archive of a depot has no more members than a batch has entries at most, so that all of them can go at
 * once some day. */
static bool is_full(const struct gathering *g)
{
    return *g->how.depot && g->added >= OLV_SEGMENT_MOST;
}

static bool gather_entry(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct gathering *g = self;
    g->sequence++;
    if (e->act != OLV_ACT_ARCHIVE)
        return true;
    if (g->words && (strcmp(g->words, e->how) != 0 || is_full(g)) && !end_archive(g, err))
        return false;
    if (!g->words && !begin_archive(g, e, err))
        return false;
    g->added++;
    g->files++;
    g->bytes += e->identity.size_bytes;
    if (g->failed.code != OLV_OK)
        return put_failed(g, err);
    if (making_add(g->making, e, g->sequence, &g->failed))
        return true;
    return put_failed(g, err);
}

bool gather_archives(struct olv_run *run, struct olv_spool *docket, struct olv_error *err)
{
    struct gathering g = {.run = run, .dir = -1};
    bool ok;
    run->gathered = gathered_new(err);
    ok = run->gathered && olv_docket_each(docket, gather_entry, &g, err) && end_archive(&g, err);
    if (!ok) {
        making_free(g.making);
        if (g.dir >= 0)
            close(g.dir);
        free(g.words);
        free(g.rule);
    }
    run->context.gathered = run->gathered;
    return ok;
}
