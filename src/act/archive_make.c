/* SPDX-License-Identifier: Apache-2.0 */
#include "act/archive_make.h"

#include "act/archive_made.h"

#include "archive/make.h"
#include "depot/catalogue.h"
#include "depot/publish.h"
#include "depot/trust.h"
#include "file/parents.h"
#include "judge/former.h"
#include "olvido/path.h"
#include "os/os.h"
#include "source/judged.h"
#include "source/records.h"

#include <fcntl.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* ---- one archive ---- */

struct gathering {
    const struct turn *turn; /* of the first entry */
    struct group *group;
    struct gathered *gathered;
    struct making *making;               /* the archive; NULL: it could not be started */
    const struct archive_arguments *how; /* how to make it, */
    struct olv_arena arena;              /* and its strings */
    char label[FRESH_LABEL];             /* names its file until it is published */
    int dir;                             /* where it is made */
    struct olv_catalogue *catalogue;     /* NULL: not needed */
    int64_t row;                         /* its row there; 0: none */
    struct catalogue_archive facts;
    struct origin was;       /* scratch for `former` */
    char *rule;              /* the rule that makes it; owned */
    struct olv_error failed; /* why it cannot continue */
    uint64_t added;          /* entries so far */
};

/* Without a note on the file, the register of done steps answers. */
static void former(void *self, struct made_member *made)
{
    struct gathering *g = self;
    const struct olv_member *m = made->member;
    struct olv_stat stat = {.size_bytes = m->size_bytes, .modified = m->modified};
    struct olv_text path = {0};
    if (m->kind != OLV_KIND_FILE || !former_is_likely(m->path) || g->failed.code != OLV_OK)
        return;
    olv_text_printf(&path, "/%s", m->path);
    if (path.failed)
        olv_fail_memory(&g->failed);
    else if (former_recorded(g->turn->session->reg, path.data, &stat, &g->was, &g->failed) == OLV_YES) {
        made->was = g->was.name;
        made->was_bytes = g->was.size_bytes;
    }
    olv_text_free(&path);
}

/* Members of an archive for a depot also go into the catalogue. */
static void note_member(void *self, const struct made_member *made)
{
    struct gathering *g = self;
    struct gathered_entry entry = {.is_in = !made->error, .has_digest = made->has_digest};
    if (!made->error && g->row && g->failed.code == OLV_OK)
        catalogue_put_member(g->catalogue, g->row, made, &g->failed);
    memcpy(entry.digest, made->digest, sizeof entry.digest);
    if (!gathered_put(g->gathered, made->sequence, &entry, made->error) && g->failed.code == OLV_OK)
        olv_fail_system(&g->failed, "", "cannot write a temporary file");
}

/* Opens the directory of the archive. */
static bool archive_make_open_directory(struct gathering *g, struct olv_error *err)
{
    char *directory = olv_path_directory(g->how->into);
    g->facts.depot_path = directory;
    if (!directory)
        return olv_fail_memory(err);
    if (*g->how->depot) {
        g->dir = depot_open_trusted(directory, err);
        return g->dir >= 0;
    }
    g->dir = parents_there(directory, err);
    return g->dir >= 0;
}

/* Before the file exists, so that the next run finds it if this one is cut short. */
static bool begin_catalogue(struct gathering *g, struct olv_error *err)
{
    char temporary[FRESH_LABEL + 32];
    if (!*g->how->depot)
        return true;
    fresh_name(g->label, temporary);
    g->catalogue = record_catalogue(g->turn, err);
    if (g->catalogue)
        g->row = catalogue_make(g->catalogue, &g->facts, temporary, err);
    return g->row != 0;
}

static bool begin_archive(struct gathering *g, const struct olv_docket_entry *e, struct olv_error *err)
{
    const struct turn *turn = g->turn;
    struct making_options options = {.label = g->label,
                                     .workers = olv_os_cpus(),
                                     .run = turn->run.id,
                                     .observer = turn->session->options.observer,
                                     .files_before = g->group->files_done,
                                     .bytes_before = g->group->bytes_done,
                                     .notes = turn->session->notes,
                                     .note_member = note_member,
                                     .former = former,
                                     .self = g};
    if (!archive_make_open_directory(g, err))
        return false;
    g->facts.depot = g->how->depot;
    g->facts.run = turn->run.id;
    g->facts.rule = g->rule = strdup(e->rule_name);
    if (!g->rule)
        return olv_fail_memory(err);
    g->facts.codec = (enum olv_codec)g->how->codec;
    g->facts.made = olv_os_now();
    if (!begin_catalogue(g, err))
        return false;
    options.dir = g->dir;
    options.rule = g->rule;
    options.codec = (enum olv_codec)g->how->codec;
    options.level = g->how->level;
    options.clock = (enum olv_clock)g->how->clock;
    options.keeps = g->how->keeps;
    g->making = making_begin(&options, err);
    return g->making != NULL;
}

/* Outside a depot, the run's register records the file before it gets its name. */
static bool publish_beside(struct gathering *g, const char *name, char placed[NAME_MAX + 1],
                           struct olv_error *err)
{
    struct fresh *file = making_file(g->making);
    struct olv_stat stat;
    return (olv_os_stat(file->fd, "", &stat) || olv_fail_system(err, "", "cannot look at the new archive")) &&
           record_name(g->turn, g->group->sequence, g->how->into, &stat, false, err) &&
           record_names(g->turn, err) && depot_publish_beside(file, name, placed, err);
}

/* In a depot, an archive whose name is taken gets a number before its suffix: "permits-2026-2.tar.zst". */
static void name_number(const char *wanted, unsigned more, char out[NAME_MAX + 1])
{
    size_t stem = strlen(wanted);
    olv_pack_of_name(wanted, &stem);
    if (more == 0)
        snprintf(out, NAME_MAX + 1, "%s", wanted);
    else
        snprintf(out, NAME_MAX + 1, "%.*s-%u%s", (int)stem, wanted, more + 1, wanted + stem);
}

static bool publish_as(struct gathering *g, const char *wanted, char placed[NAME_MAX + 1],
                       struct olv_error *err)
{
    return g->row
               ? depot_publish(g->catalogue, g->row, making_file(g->making), name_number, wanted, placed, err)
               : publish_beside(g, wanted, placed, err);
}

/* Its name is on disk: from here on it is live. */
static bool end_catalogue(struct gathering *g, const char *placed, struct olv_error *err)
{
    struct catalogue_archive facts = g->facts;
    struct making_result made = making_result(g->making);
    facts.name = placed;
    facts.made = made.begun;
    facts.bytes = made.bytes;
    facts.length = made.length;
    facts.members = made.members;
    facts.manifest_frame = made.manifest_frame;
    memcpy(facts.id, made.id, sizeof facts.id);
    memcpy(facts.manifest, made.manifest, sizeof facts.manifest);
    if (!catalogue_publish(g->catalogue, g->row, &facts, made.frames, NULL, err))
        return false;
    g->row = 0;
    return true;
}

/* What the ledger records of an archive outside a depot. */
static bool note_beside(struct gathering *g, const char *path, struct olv_error *err)
{
    struct making_result result = making_result(g->making);
    struct archive_made made = {.path = path, .length = result.length, .members = result.members};
    memcpy(made.id, result.id, sizeof made.id);
    memcpy(made.manifest, result.manifest, sizeof made.manifest);
    return record_archive(g->turn, &made, err);
}

static bool archive_make_publish(struct gathering *g, struct olv_text *path, struct olv_error *err)
{
    const char *name = olv_path_name(g->how->into);
    char placed[NAME_MAX + 1] = "";
    if (!making_finish(g->making, err))
        return false;
    if (making_result(g->making).members == 0)
        return olv_fail(err, OLV_CHANGED, "nothing got into the archive, so there is none");
    if (!gathered_store(g->gathered, err))
        return false;
    if (publish_as(g, name, placed, err)) {
        olv_text_printf(path, "%.*s%s", (int)(name - g->how->into), g->how->into, placed);
        if (!path->failed && (g->row ? end_catalogue(g, placed, err) : note_beside(g, path->data, err)))
            return true;
        if (path->failed)
            olv_fail_memory(err);
    }
    /* An archive that nobody knows must not stay; if it cannot be removed now, a later run does it. */
    if (*placed && !depot_take_back(making_file(g->making), placed))
        g->row = 0;
    return false;
}

/* Whatever is still `making` has failed. */
static void end_archive(struct gathering *g, struct olv_text *path)
{
    struct olv_error ignored = {0};
    if (g->failed.code == OLV_OK && !archive_make_publish(g, path, &g->failed))
        olv_error_at(&g->failed, g->how->into);
    making_free(g->making);
    if (g->row)
        catalogue_forget(g->catalogue, g->row, &ignored);
    olv_arena_free(&g->arena);
    olv_os_close(g->dir);
    free((char *)(uintptr_t)g->facts.depot_path);
    free(g->rule);
}

/* ---- its entries ---- */

static bool begin_with(struct gathering *g, const struct olv_docket_entry *e, struct olv_error *err)
{
    g->how = keys_copy(e->act, e->arguments, &g->arena); /* the entry does not live that long */
    if (!g->how)
        return olv_fail_memory(err);
    if (!*g->how->into)
        return olv_fail(err, OLV_BROKEN, "the docket does not say where the archive is to be");
    gathered_begin(g->gathered, g->group->sequence);
    begin_archive(g, e, &g->failed);
    return true;
}

static bool archive_make_add(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct gathering *g = self;
    struct gathered_entry failed = {.is_in = true}; /* unless it failed itself, the archive says why */
    uint64_t sequence = g->group->sequence + g->added;
    if (g->added++ == 0 && !begin_with(g, e, err))
        return false;
    if (g->failed.code == OLV_OK && making_add(g->making, e, sequence, &g->failed))
        return true;
    return gathered_put(g->gathered, sequence, &failed, NULL) ||
           olv_fail_system(err, "", "cannot write a temporary file");
}

bool archive_make(const struct turn *turn, struct group *group, struct gathered *gathered,
                  struct olv_error *err)
{
    /* An archive of a depot has at most as many members as a batch has entries, so that all can be removed in
     * one batch later. */
    const struct archive_arguments *how = group->entries[0].arguments;
    uint64_t most = *how->depot ? OLV_SEGMENT_MOST : 0;
    struct gathering g = {
        .turn = turn, .group = group, .gathered = gathered, .catalogue = turn->session->catalogue, .dir = -1};
    struct olv_text path = {0};
    bool ok;
    turn_archive_label(g.label, turn, group->sequence);
    ok = group->each(group, most, archive_make_add, &g, err);
    if (!ok)
        g.failed = *err;
    end_archive(&g, &path);
    group->is_bound = g.failed.code == OLV_OK;
    ok =
        ok && (gathered_end(gathered, group->is_bound ? path.data : NULL, &g.failed) || olv_fail_memory(err));
    olv_text_free(&path);
    return ok;
}
