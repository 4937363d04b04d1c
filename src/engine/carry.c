/* SPDX-License-Identifier: Apache-2.0 */
/* Carries a docket out in durable order. For each batch: write its docket segment; write the intent that
 * commits to it; act; sync what was touched; write the outcomes. Nothing waits for the disk: while a batch
 * runs, one commit makes durable what the batch before it touched, the next one's segment, and with one write
 * of the ledger the outcomes of the one and the intent of the other. So a crash leaves at most two batches
 * with an intent and without outcomes. */
#include "engine/approved.h"
#include "engine/batch.h"
#include "engine/commits.h"
#include "engine/lanes.h"
#include "engine/outcomes.h"
#include "engine/trace.h"
#include "olvido/docket.h"
#include "state/reserve.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_IDS = 100 };

struct batches {
    struct carrying carrying;
    struct olv_spool *approved; /* owned: the approved part of the docket, if not all of it */
    struct batch done, now, next;
    uint64_t read_to;  /* where the next segment begins in the docket */
    uint64_t composed; /* number of the last batch read */
};

/* ---- the next batch ---- */

/* The pages of the segment that begins at `read_to`. */
static bool read_pages(struct batches *b, struct segment *out, struct olv_error *err)
{
    struct olv_hasher *hasher = b->carrying.run->turn.scratch.hasher;
    struct olv_text page = {0};
    struct olv_page_head head = {0};
    bool ok = true;
    olv_hasher_begin(hasher);
    while (ok && olv_spool_head(out->docket, out->until, &head, err) &&
           (head.first > 0 || out->until == out->at)) {
        b->next.entries += head.entries;
        ok = olv_spool_read(out->docket, &out->until, &page, err);
        olv_hasher_add(hasher, olv_text_string(&page), page.len);
    }
    olv_hasher_end(hasher, out->digest);
    olv_text_free(&page);
    return ok && err->code == OLV_OK;
}

static bool read_next(struct batches *b, struct olv_error *err)
{
    struct segment *segment = &b->next.segment;
    b->next = (struct batch){.segment = {b->carrying.docket, b->read_to, b->read_to, {0}}};
    if (carrying_is_interrupted(&b->carrying))
        return true;
    if (!read_pages(b, segment, err))
        return false;
    b->read_to = segment->until;
    return segment->at == segment->until || batch_goes(&b->next, BATCH_NONE, BATCH_COMPOSED, err);
}

/* Its intent follows the outcomes of the batch before the one to do now. */
static void intend_next(struct batches *b)
{
    const struct olv_run *run = b->carrying.run;
    struct olv_intent_facts intent = {.run = run->id, .decisions = b->next.entries};
    bool is_there = b->next.state == BATCH_COMPOSED;
    if (is_there) {
        intent.batch = ++b->composed;
        memcpy(intent.segment, b->next.segment.digest, sizeof intent.segment);
    }
    recorder_collect(b->carrying.recorder, is_there ? &intent : NULL);
}

/* ---- batch after batch ---- */

/* One commit is durable: see commits.h. */
static bool is_committed(struct batches *b, struct olv_error *err)
{
    return (b->done.state == BATCH_NONE || (batch_goes(&b->done, BATCH_APPLIED, BATCH_SYNCED, err) &&
                                            batch_goes(&b->done, BATCH_SYNCED, BATCH_RECORDED, err))) &&
           (b->next.state == BATCH_NONE || batch_goes(&b->next, BATCH_COMPOSED, BATCH_INTENDED, err));
}

/* The batch just done makes room for the next one. */
static void turn(struct batches *b)
{
    struct batch done = b->done;
    b->done = b->now;
    b->now = b->next;
    b->next = done;
}

/* While one batch runs, one commit makes durable what the previous one touched and its outcomes, and the next
 * one's intent. */
static bool carry_step(struct batches *b, bool *has_more, struct olv_error *err)
{
    struct olv_error late = {0};
    bool ok = read_next(b, err);
    *has_more = b->next.state != BATCH_NONE;
    if (!ok)
        return false;
    intend_next(b);
    commits_begin(b->carrying.commits, &b->carrying.touched, *has_more ? &b->next.segment : NULL,
                  b->composed);
    ok = b->now.state == BATCH_NONE || batch_do(&b->carrying, &b->now, err);
    if (!commits_wait(b->carrying.commits, &late) && ok) {
        *err = late;
        ok = false;
    }
    ok = ok && is_committed(b, err);
    turn(b);
    return ok;
}

/* All outcomes so far are in the ledger, and what they tell of is on disk. */
static bool carry_drain(struct batches *b, struct olv_error *err)
{
    return (recorder_drain(b->carrying.recorder) || olv_fail_memory(err)) &&
           touched_sync(&b->carrying.touched, err);
}

/* A long run fills several volumes of the ledger, and signs each. */
static bool turn_ledger(struct batches *b, struct olv_error *err)
{
    struct olv_run *run = b->carrying.run;
    return !olv_ledger_is_volume_full(run->ledger) ||
           (carry_drain(b, err) && run_sync(run, err) && run_checkpoint(run, err));
}

static bool do_batches(struct batches *b, struct olv_error *err)
{
    bool has_more = true, ok = true;
    while (ok && has_more)
        ok = carry_step(b, &has_more, err) && turn_ledger(b, err);
    return ok && carry_drain(b, err);
}

/* ---- the run ---- */

static bool carry_make_directory(struct olv_run *run, struct olv_error *err)
{
    int failed;
    if (run->directory >= 0)
        return true;
    failed = mkdirat(run->state.runs, run->id, 0700);
    for (int i = 0; failed && errno == EEXIST && i < MOST_IDS && run_make_id(run, err); i++)
        failed = mkdirat(run->state.runs, run->id, 0700); /* another run of the same minute has that id */
    if (!failed)
        run->directory = openat(run->state.runs, run->id, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    return run->directory >= 0 || olv_fail_system(err, run->id, "cannot make the directory of the run");
}

bool run_begin(struct olv_run *run, struct olv_error *err)
{
    const struct olv_policy *policy = run->session->options.policy;
    while (!carry_make_directory(run, err) || !state_mark_open(&run->state, run->id, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    olv_ledger_begin_run(run->ledger, &(struct olv_run_facts){run->id, run->session->options.command,
                                                              policy ? policy->path : NULL,
                                                              policy ? policy->digest : NULL});
    return run_sync(run, err) && run_checkpoint(run, err);
}

bool run_end(struct olv_run *run, const struct olv_end_facts *facts, struct olv_error *err)
{
    bool any = false;
    if (!run_tell_archives(run, facts->run, &any, err))
        return false;
    olv_ledger_end_run(run->ledger, facts);
    return run_sync(run, err) && run_checkpoint(run, err) &&
           (!any || catalogue_note_recorded(run->session->catalogue, err)) &&
           state_mark_closed(&run->state, err);
}

static bool carry_end(struct olv_run *run, const struct olv_run_result *r, struct olv_error *err)
{
    struct olv_end_facts facts = {run->id,           r->is_interrupted ? "interrupted" : "finished",
                                  r->done + r->told, r->left + r->refused,
                                  r->failed,         0};
    return run_end(run, &facts, err) && (!run->session->reg || run->clock_doubt ||
                                         register_end_run(run->session->reg, run->turn.run.now, err));
}

static bool open_batches(struct batches *b, struct olv_run *run, struct olv_run_result *result,
                         struct olv_error *err)
{
    struct carrying *c = &b->carrying;
    c->run = run;
    c->result = result;
    c->recorder = recorder_new(run->ledger);
    c->ahead = ahead_new(run->id, run->turn.run.now);
    c->trace = trace_open(run->directory, true);
    b->carrying.commits = c->recorder ? commits_new(run, c->recorder) : NULL;
    return b->carrying.commits || olv_fail_memory(err);
}

static void close_batches(struct batches *b)
{
    commits_free(b->carrying.commits);
    ahead_free(b->carrying.ahead);
    lanes_free(b->carrying.lanes);
    recorder_free(b->carrying.recorder);
    touched_free(&b->carrying.touched);
    olv_text_free(&b->carrying.keyed.key);
    olv_text_free(&b->carrying.keyed.scratch);
    olv_os_close(b->carrying.trace);
    olv_spool_free(b->approved);
}

/* All questions come before the first act. */
static bool carry_approve(struct batches *b, const struct olv_approval *approval, struct olv_error *err)
{
    struct carrying *c = &b->carrying;
    struct olv_spool *approved = approved_docket(c->docket, approval, c->result, err);
    b->approved = approved != c->docket ? approved : NULL;
    c->docket = approved;
    return approved != NULL;
}

struct late {
    struct carrying *carrying;
    const struct olv_act *act;
};

static void on_failed_late(void *self, const char *path, const struct olv_error *why)
{
    const struct late *late = self;
    outcomes_failed_late(late->carrying, late->act, path, why);
}

/* What acts do at the end. */
static bool carry_finish(struct carrying *c, struct olv_error *err)
{
    struct olv_run *run = c->run;
    bool ok = true;
    for (size_t i = 0; ok && i < run->kept_count; i++) {
        struct late late = {c, run->kept[i].act};
        run->turn.own.state = &run->kept[i].state;
        if (run->kept[i].hooks->end_run)
            ok = run->kept[i].hooks->end_run(&run->turn, on_failed_late, &late, err);
    }
    return ok;
}

bool run_carry_out(struct olv_run *run, struct olv_spool *docket, const struct olv_approval *approval,
                   struct olv_run_result *result, struct olv_error *err)
{
    struct batches b = {.carrying = {.docket = docket, .trace = -1}};
    bool ok;
    *result = (struct olv_run_result){0};
    olv_error_clear(err);
    ok = result->has_begun = run_begin(run, err) || olv_error_as(err, OLV_STATE);
    ok = ok && open_batches(&b, run, result, err) && carry_approve(&b, approval, err) &&
         do_batches(&b, err) && carry_finish(&b.carrying, err) && carry_end(run, result, err);
    close_batches(&b);
    result->is_complete = ok && !result->is_interrupted;
    return ok; /* a run that cannot be ended stays open, and the next one settles it */
}
