/* SPDX-License-Identifier: Apache-2.0 */
/* After a crash at any point: the last intents of the open run say what may have been done; what has no
 * outcome yet gets one by looking at what is there. Nothing is acted upon. */
#include "file/touched.h"
#include "run/run.h"

#include "archive/unfinished.h"
#include "depot/catalogue.h"

#include "os/durable.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { LARGEST_SEGMENT = 64 << 20, OPEN_BATCHES = 2 /* at most; see carry.c */ };

struct settling {
    struct olv_run *run;
    char id[64]; /* of the run that was cut short */
    bool has_begun, has_ended;
    struct open_batch {
        uint64_t number;   /* 0: none */
        uint64_t sequence; /* of its first entry, less one */
        bool has_outcome[OLV_SEGMENT_MOST];
    } open[OPEN_BATCHES]; /* those with the last intents, the very last first */
    uint64_t decisions;   /* of all intents */
    uint64_t done, left, failed;
};

static void note_intent(struct settling *s, const struct olv_ledger_record *r)
{
    for (int i = OPEN_BATCHES - 1; i > 0; i--)
        s->open[i] = s->open[i - 1];
    s->open[0] = (struct open_batch){.number = r->batch, .sequence = s->decisions};
    s->decisions += r->decisions;
}

static void note_outcome(struct settling *s, const struct olv_ledger_record *r)
{
    for (int i = 0; i < OPEN_BATCHES; i++)
        if (r->batch == s->open[i].number && r->entry < OLV_SEGMENT_MOST)
            s->open[i].has_outcome[r->entry] = true;
}

static void count_result(struct settling *s, const char *result)
{
    if (strcmp(result, "left") == 0 || strcmp(result, "refused") == 0)
        s->left++;
    else if (strcmp(result, "failed") == 0)
        s->failed++;
    else
        s->done++;
}

static bool look_at_line(void *self, const struct olv_ledger_record *r)
{
    struct settling *s = self;
    if (strcmp(r->run, s->id) != 0)
        return true;
    if (strcmp(r->kind, "begin") == 0)
        s->has_begun = true;
    if (strcmp(r->kind, "end") == 0)
        s->has_ended = true;
    if (strcmp(r->kind, "intent") == 0)
        note_intent(s, r);
    if (strcmp(r->kind, "outcome") == 0) {
        count_result(s, r->result);
        note_outcome(s, r);
    }
    return true;
}

/* Only one that is there: an empty one, made anew, would say that nothing is in any archive. */
static bool know_catalogue(struct olv_run *run)
{
    struct olv_error ignored = {0};
    if (!run->catalogue)
        run->catalogue = run->context.catalogue = catalogue_open(run->options.state, false, &ignored);
    return run->catalogue != NULL;
}

static void settle_entry(struct settling *s, uint64_t batch, const struct olv_docket_entry *e)
{
    struct olv_act_context *context = &s->run->context;
    const struct olv_act *act = olv_act_find(e->act);
    struct olv_outcome o = {0};
    bool was_applied = false;
    const char *result;
    context->sequence++;
    olv_text_clear(&context->placed);
    if (e->act == OLV_ACT_THIN || e->act == OLV_ACT_ARCHIVE)
        know_catalogue(s->run);
    if (act && act->was_applied && olv_reach_again(&context->source, e, &o.error) &&
        run_find_trash(s->run, act, e, &o.error))
        was_applied = act->was_applied(context, e, &o);
    if (!was_applied)
        o.result = OLV_LEFT;
    result = act ? olv_act_result(act, o.result) : "left";
    olv_text_clear(&context->path);
    olv_docket_entry_path(e, &context->path);
    olv_ledger_outcome(s->run->ledger,
                       &(struct olv_outcome_facts){
                           .run = s->id,
                           .batch = batch,
                           .entry = e,
                           .result = result,
                           .reason = was_applied ? o.error.what : "the run was cut short before it",
                           .trash = act && act->find_trash == olv_act_trash_of_item ? e->name : o.trash,
                           .into = o.into ? o.into : "",
                           .trash_place = was_applied ? run_trash_place(s->run, act) : "",
                           .path = context->placed.len ? context->placed.data
                                   : *e->target        ? e->target
                                                       : olv_text_string(&context->path),
                           .is_settled = true,
                       });
    count_result(s, result);
    s->run->settled++;
}

static bool settle_batch(struct settling *s, const struct open_batch *batch, const struct olv_text *bytes,
                         struct olv_error *err)
{
    struct olv_segment_reader *reader = olv_segment_open(bytes->data, bytes->len, err);
    struct olv_docket_entry e;
    if (!reader)
        return false;
    s->run->context.sequence = batch->sequence;
    while (olv_segment_next(reader, &e, err))
        if (e.number < OLV_SEGMENT_MOST && !batch->has_outcome[e.number])
            settle_entry(s, batch->number, &e);
        else
            s->run->context.sequence++;
    olv_segment_close(reader);
    return err->code == OLV_OK;
}

static bool settle_segment(struct settling *s, const struct open_batch *batch, struct olv_error *err)
{
    struct olv_text bytes = {0};
    char name[32], path[128];
    bool ok;
    run_segment_name(name, batch->number);
    snprintf(path, sizeof path, "%.63s/%s", s->id, name);
    ok = olv_read_file(s->run->state.runs, path, LARGEST_SEGMENT, &bytes, err) &&
         settle_batch(s, batch, &bytes, err);
    olv_text_free(&bytes);
    return ok;
}

/* What was found is not recorded before it is on the disk, with what info files say. */
static bool sync_trashes(struct olv_run *run, struct olv_error *err)
{
    struct touched touched = {0};
    bool ok = true;
    for (size_t i = 0; i < olv_trashes_count(run->trashes); i++) {
        const struct olv_trash *trash = olv_trashes_at(run->trashes, i);
        ok = touched_add_system(&touched, trash->info, trash->files_stat.device, err) && ok;
    }
    return touched_sync(&touched, err) && ok;
}

static bool settle_batches(struct settling *s, struct olv_error *err)
{
    struct olv_run *run = s->run;
    bool ok = true;
    run->context.run = s->id;
    for (int i = OPEN_BATCHES - 1; ok && i >= 0; i--)
        ok = s->open[i].number == 0 || settle_segment(s, &s->open[i], err);
    run->context.run = run->id;
    run->context.sequence = 0;
    return ok && olv_trashes_store(run->trashes, err) && sync_trashes(run, err) &&
           run_store_respites(run, err);
}

/* Under its temporary name it is the run's own. Under its final one it is removed if it still is the file
 * that the run made, and the catalogue does not know it: then nothing has gone for it yet. */
static void remove_unfinished(struct olv_run *run, int dir, const char *directory, const char *name,
                              uint64_t inode)
{
    struct olv_error ignored = {0};
    struct catalogue_known known;
    struct olv_stat stat;
    if (inode == 0 && strncmp(name, ".olvido-", 8) == 0)
        unlinkat(dir, name, 0);
    if (inode == 0 || !olv_os_stat(dir, name, &stat) || stat.inode != inode || stat.kind != OLV_KIND_FILE)
        return;
    if (know_catalogue(run) && catalogue_find_archive(run->catalogue, directory, name, &known, &ignored) &&
        known.id == 0)
        unlinkat(dir, name, 0);
}

/* An archive that the run did not finish. */
static void clear_unfinished(const struct settling *s)
{
    struct unfinished u;
    char *slash;
    int notes = openat(s->run->state.runs, s->id, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC), dir;
    if (notes >= 0 && unfinished_read(notes, &u)) {
        slash = strrchr(u.path, '/');
        *slash = '\0';
        dir = olv_os_open_path(slash == u.path ? "/" : u.path);
        if (dir >= 0) {
            remove_unfinished(s->run, dir, slash == u.path ? "/" : u.path, slash + 1, u.inode);
            if (strncmp(u.temporary, ".olvido-", 8) == 0)
                unlinkat(dir, u.temporary, 0);
            close(dir);
        }
        unfinished_clear(notes);
    }
    if (notes >= 0)
        close(notes);
}

static bool settle_run(struct settling *s, struct olv_error *err)
{
    struct olv_run *run = s->run;
    if (!olv_ledger_each(run->options.state, look_at_line, s, err))
        return false;
    clear_unfinished(s);
    if (s->has_begun && !s->has_ended) {
        if (!settle_batches(s, err))
            return false;
        olv_ledger_end_run(run->ledger,
                           &(struct olv_end_facts){s->id, "settled", s->done, s->left, s->failed});
    }
    return run_sync(run, err) && run_checkpoint(run, err) && state_mark_closed(&run->state, err);
}

bool run_settle(struct olv_run *run, struct olv_error *err)
{
    struct settling *s = calloc(1, sizeof *s);
    bool ok;
    if (!s)
        return olv_fail_memory(err);
    s->run = run;
    ok = state_open_run(&run->state, s->id, sizeof s->id, err);
    if (ok && s->id[0])
        ok = strchr(s->id, '/') || s->id[0] == '.' ? olv_fail(err, OLV_BROKEN, "runs/open names no run")
                                                   : settle_run(s, err);
    free(s);
    return ok;
}
