/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/gather.h"

#include "archive/make.h"
#include "base/grow.h"
#include "depot/catalogue.h"
#include "depot/had.h"
#include "depot/trust.h"
#include "docket/each.h"
#include "docket/wire.h"
#include "hold/hold.h"
#include "judge/former.h"

#include <fcntl.h>
#include <limits.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static bool is_other(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    bool *is_needed = self;
    (void)err;
    *is_needed |= (hooks_of(e)->needs & IS_GATHERED) != 0;
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
    uint64_t sequence;       /* of the entry at hand */
    struct making *making;   /* the archive; NULL: it could not be begun */
    struct olv_manner how;   /* what it is for; strings are those of the adding */
    char label[FRESH_LABEL]; /* of its file while that has no name */
    int dir;                 /* in which it is made */
    int64_t row;             /* of it in the catalogue; 0: it is for no depot */
    struct catalogue_archive facts;
    char was[NAME_MAX + 1];  /* scratch of `former` */
    char *rule;              /* by which it is made; owned */
    struct olv_error failed; /* why it cannot go on */
    uint64_t first, added;
};

/* On a file without a note the table of what files had answers. */
static void former(void *self, struct made_member *made)
{
    struct gathering *g = self;
    const struct olv_member *m = made->member;
    struct catalogue_had had = {.size_bytes = m->size_bytes, .modified = m->modified, .was_name = ""};
    struct olv_text path = {0};
    if (m->kind != OLV_KIND_FILE || !former_is_likely(m->path) || !g->run->catalogue)
        return;
    olv_text_printf(&path, "/%s", m->path);
    had.path = olv_text_string(&path);
    if (!path.failed && catalogue_find_had(g->run->catalogue, &had, g->was, &made->was_bytes) && *g->was)
        made->was = g->was;
    olv_text_free(&path);
}

/* Members of an archive for a depot go into the catalogue, too. */
static void told(void *self, const struct made_member *made)
{
    struct gathering *g = self;
    struct gathered_entry entry = {.is_in = !made->error, .has_digest = made->has_digest};
    if (!made->error && g->row && g->failed.code == OLV_OK)
        catalogue_put_member(g->run->catalogue, g->row, made, &g->failed);
    memcpy(entry.digest, made->digest, sizeof entry.digest);
    if (!gathered_put(g->run->gathered, made->sequence, &entry, made->error) && g->failed.code == OLV_OK)
        olv_fail_system(&g->failed, "", "cannot write a temporary file");
}

/* Opens the directory of the archive. */
static bool open_directory(struct gathering *g, struct olv_error *err)
{
    const char *slash = strrchr(g->how.into, '/');
    char *directory = strndup(g->how.into, slash == g->how.into ? 1 : (size_t)(slash - g->how.into));
    g->facts.depot_path = directory;
    if (!directory)
        return olv_fail_memory(err);
    if (*g->how.depot) {
        g->dir = depot_open_trusted(directory, err);
        return g->dir >= 0;
    }
    g->dir = open(directory, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    return g->dir >= 0 || olv_fail_system(err, directory, "cannot open the directory of the archive");
}

/* Before there is a file, so that the next run finds it, should this one be cut short. */
static bool begin_catalogue(struct gathering *g, struct olv_error *err)
{
    char temporary[FRESH_LABEL + 32];
    if (!*g->how.depot)
        return true;
    fresh_name(g->label, temporary);
    if (run_catalogue(g->run, err))
        g->row = catalogue_make(g->run->catalogue, &g->facts, temporary, err);
    return g->row != 0;
}

static bool begin_archive(struct gathering *g, const struct olv_docket_entry *e, struct olv_error *err)
{
    const struct olv_run_result *result = g->run->result;
    struct making_options options = {.label = g->label,
                                     .workers = olv_os_cpus(),
                                     .run = g->run->id,
                                     .observer = g->run->options.observer,
                                     .files_before = result->done,
                                     .bytes_before = result->done_bytes,
                                     .notes = &g->run->notes,
                                     .told = told,
                                     .former = former,
                                     .self = g};
    if (!open_directory(g, err))
        return false;
    g->facts.depot = g->how.depot;
    g->facts.run = g->run->id;
    g->facts.rule = g->rule = strdup(e->rule_name);
    if (!g->rule)
        return olv_fail_memory(err);
    g->facts.codec = g->how.codec;
    g->facts.made = olv_os_now();
    if (!begin_catalogue(g, err))
        return false;
    options.dir = g->dir;
    options.rule = g->rule;
    options.codec = g->how.codec;
    options.level = g->how.level;
    options.clock = g->how.clock;
    options.keeps = g->how.keeps;
    g->making = making_begin(&options, err);
    return g->making != NULL;
}

/* Beside a depot, the register of the run knows the file before it gets its name. */
static bool note_name(struct gathering *g, const char *name, struct olv_error *err)
{
    struct olv_stat stat;
    if (!making_stat(g->making, &stat, err))
        return false;
    if (g->row)
        return catalogue_name(g->run->catalogue, g->row, name, &stat, err);
    return run_givens(g->run, err) && givens_add(g->run->givens, g->first, g->how.into, &stat, false, err) &&
           givens_store(g->run->givens, g->run->id, g->run->context.now, err);
}

/* In a depot an archive whose name is taken gets a number, before its suffix: "permits-2026-2.tar.zst". */
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
        ok = note_name(g, name, err) && making_publish(g->making, name, OLV_REFUSE, placed, err);
        if (ok || err->code != OLV_EXISTS || !g->row || !is_archive)
            return ok;
        snprintf(name, sizeof name, "%.*s-%u%s", (int)stem, wanted, n, wanted + stem);
    }
    return ok;
}

static void know_facts(const struct gathering *g, struct catalogue_archive *facts)
{
    facts->length = making_length(g->making);
    facts->members = making_members(g->making);
    memcpy(facts->id, making_id(g->making), sizeof facts->id);
    memcpy(facts->manifest, making_manifest(g->making), sizeof facts->manifest);
}

/* It has its name, and that is on the disk: from here on it is live. */
static bool end_catalogue(struct gathering *g, const char *placed, struct olv_error *err)
{
    struct catalogue_archive facts = g->facts;
    const struct frame_list *frames = making_frames(g->making, &facts.manifest_frame);
    facts.name = placed;
    facts.made = making_time(g->making);
    facts.bytes = making_bytes(g->making);
    know_facts(g, &facts);
    if (!catalogue_publish(g->run->catalogue, g->row, &facts, frames, NULL, err))
        return false;
    g->row = 0;
    return true;
}

/* What the ledger is to say of one that is in no depot; see run_tell_archives. */
static bool note_beside(struct gathering *g, const char *path, struct olv_error *err)
{
    struct olv_run *run = g->run;
    struct catalogue_archive *a = grow(run->beside, run->beside_count, &run->beside_cap, sizeof *a);
    if (!a)
        return olv_fail_memory(err);
    run->beside = a;
    a += run->beside_count;
    *a = (struct catalogue_archive){.name = strdup(path)};
    if (!a->name)
        return olv_fail_memory(err);
    know_facts(g, a);
    run->beside_count++;
    return true;
}

static bool publish(struct gathering *g, struct olv_text *path, struct olv_error *err)
{
    const char *slash = strrchr(g->how.into, '/');
    char placed[NAME_MAX + 1] = "";
    if (!making_finish(g->making, err))
        return false;
    if (making_members(g->making) == 0)
        return olv_fail(err, OLV_CHANGED, "nothing got into the archive, so there is none");
    if (publish_as(g, slash + 1, placed, err)) {
        olv_text_printf(path, "%.*s/%s", (int)(slash - g->how.into), g->how.into, placed);
        if (!path->failed && (g->row ? end_catalogue(g, placed, err) : note_beside(g, path->data, err)))
            return true;
        if (path->failed)
            olv_fail_memory(err);
    }
    /* An archive that nobody knows must not be there; where it cannot be taken away now, a later run does. */
    if (*placed && !making_take_back(g->making, placed))
        g->row = 0;
    return false;
}

/* What is `making` still came to nothing. */
static void end_archive(struct gathering *g, struct olv_text *path)
{
    struct olv_error ignored = {0};
    if (g->failed.code == OLV_OK && !publish(g, path, &g->failed))
        olv_error_at(&g->failed, g->how.into);
    making_free(g->making);
    if (g->row)
        catalogue_forget(g->run->catalogue, g->row, &ignored);
    if (g->dir >= 0)
        close(g->dir);
    free((char *)(uintptr_t)g->facts.depot_path);
    free(g->rule);
}

/* ---- its entries ---- */

/* What cannot get in any more, because its archive failed. */
static bool put_failed(struct gathering *g)
{
    struct gathered_entry entry = {.is_in = true}; /* as far as it is concerned; the archive says why not */
    return gathered_put(g->run->gathered, g->sequence, &entry, NULL);
}

struct adding {
    struct gathering *gathering;
    const struct gather_place *place;
    struct olv_text manner, scratch; /* how the first one is archived, and another */
    struct olv_arena arena;          /* of the strings of `how` */
    bool is_first_segment, is_over;
};

/* An archive of a depot has no more members than a batch has entries at most, so that all of them can go at
 * once some day. */
static bool belongs(struct adding *a, const struct olv_docket_entry *e)
{
    const struct gathering *g = a->gathering;
    if (!(hooks_of(e)->needs & IS_GATHERED) || (*g->how.depot && g->added >= OLV_SEGMENT_MOST))
        return false;
    olv_text_clear(&a->scratch);
    wire_put_manner(&a->scratch, e->manner);
    return olv_text_is_same(&a->scratch, &a->manner);
}

static bool begin_with(struct adding *a, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct gathering *g = a->gathering;
    struct wire wire = {.arena = &a->arena};
    wire_put_manner(&a->manner, e->manner);
    if (a->manner.failed)
        return olv_fail_memory(err);
    wire.bytes = (const uint8_t *)a->manner.data;
    wire.len = a->manner.len;
    wire_get_manner(&wire, &g->how);
    if (wire.is_broken || !*g->how.into)
        return olv_fail(err, OLV_BROKEN, "the docket does not say where the archive is to be");
    gathered_begin(g->run->gathered, g->first);
    begin_archive(g, e, &g->failed);
    return true;
}

static bool add(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct adding *a = self;
    struct gathering *g = a->gathering;
    if (a->is_over || (a->is_first_segment && e->number < a->place->entry))
        return true;
    if (!a->manner.len && !begin_with(a, e, err))
        return false;
    a->is_over = !belongs(a, e);
    if (a->is_over)
        return true;
    g->sequence = g->first + g->added++;
    if (g->failed.code == OLV_OK && making_add(g->making, e, g->sequence, &g->failed))
        return true;
    return put_failed(g) || olv_fail_system(err, "", "cannot write a temporary file");
}

/* From its place on; afterwards the docket stands where it stood. */
static bool add_all(struct adding *a, struct olv_error *err)
{
    struct olv_spool *docket = a->place->docket;
    struct olv_text segment = {0};
    long back = olv_spool_mark(docket);
    bool ok = olv_spool_go_to(docket, a->place->mark, err);
    a->is_first_segment = true;
    while (ok && !a->is_over && olv_spool_next(docket, &segment, err)) {
        ok = olv_segment_each(&segment, add, a, err);
        a->is_first_segment = false;
    }
    olv_text_free(&segment);
    return ok && err->code == OLV_OK && olv_spool_go_to(docket, back, err);
}

bool gather_archive(struct olv_run *run, const struct gather_place *place, struct olv_error *err)
{
    struct gathering g = {.run = run, .dir = -1, .first = place->sequence};
    struct adding a = {.gathering = &g, .place = place};
    struct olv_text path = {0};
    bool ok;
    if (place->sequence <= run->gathered_until)
        return true;
    if (!run->gathered && !(run->context.gathered = run->gathered = gathered_new(err)))
        return false;
    olv_act_archive_label(g.label, &run->context, place->sequence);
    ok = add_all(&a, err);
    if (!ok)
        g.failed = *err;
    end_archive(&g, &path);
    run->gathered_until = g.first + g.added - 1;
    ok = ok && (gathered_end(run->gathered, g.failed.code == OLV_OK ? path.data : NULL, &g.failed) ||
                olv_fail_memory(err));
    olv_text_free(&path);
    olv_text_free(&a.manner);
    olv_text_free(&a.scratch);
    olv_arena_free(&a.arena);
    return ok;
}
