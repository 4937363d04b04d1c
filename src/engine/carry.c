/* SPDX-License-Identifier: Apache-2.0 */
/* Carrying a docket out, and the durable order of it. Of every batch the docket segment comes to the disk,
 * then the intent that commits to it; then it is carried out; then what it touched comes to the disk, and
 * then its outcomes.
 *
 * The disk is not waited for: while a batch is carried out, one commit brings there what the batch before it
 * touched, the next one's segment, and in one write of the ledger the outcomes of the one and the intent of
 * the other. So a crash leaves at most two batches that have an intent and lack outcomes. */
#include "archive/directories.h"
#include "docket/each.h"
#include "engine/approved.h"
#include "engine/batch.h"
#include "engine/commits.h"
#include "engine/gather.h"
#include "engine/trace.h"
#include "hold/hold.h"
#include "state/reserve.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_IDS = 100 };

struct batches {
    struct carrying carrying;
    struct commits *commits;
    struct olv_spool *docket;
    struct olv_spool *approved; /* what is approved of it, where that had to be known beforehand; else NULL */
    const struct olv_approval *approval;
    struct olv_text segment;             /* of the docket, as it was planned */
    struct olv_segment_writer now, next; /* batches; without entries there is none */
    long now_mark, next_mark;            /* where in the docket they were planned */
    uint64_t composed;                   /* number of the batch composed last */
};

/* ---- composing ---- */

/* Adds what is approved of a planned segment. */
static bool add_approved(struct batches *b, const struct olv_text *segment, struct olv_error *err)
{
    const struct olv_approval *approval = b->approval;
    struct olv_segment_reader *reader = olv_segment_open(segment->data, segment->len, err);
    struct olv_docket_entry e;
    if (!reader)
        return false;
    while (olv_segment_next(reader, &e, err)) {
        if (approval && !approval->approve(approval->self, &e))
            b->carrying.result->declined++;
        else if (hooks_of(&e))
            olv_segment_add(&b->next, &e);
    }
    olv_segment_close(reader);
    return err->code == OLV_OK;
}

struct planned {
    uint32_t entries;
    bool has_unknown;
};

static bool look_at(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct planned *p = self;
    (void)err;
    p->entries++;
    p->has_unknown |= !hooks_of(e);
    return true;
}

/* Where everything is approved, the segment is the batch as it was planned. */
static bool add_segment(struct batches *b, struct olv_error *err)
{
    struct planned p = {0};
    struct olv_text bytes = b->next.bytes;
    if (b->approval)
        return add_approved(b, &b->segment, err);
    if (!olv_segment_each(&b->segment, look_at, &p, err))
        return false;
    if (p.has_unknown)
        return add_approved(b, &b->segment, err);
    b->next.bytes = b->segment;
    b->segment = bytes;
    b->next.entries = p.entries;
    return true;
}

static bool is_interrupted(struct batches *b)
{
    return carrying_is_interrupted(&b->carrying);
}

/* Composes the next batch. Without entries there is none any more. */
static bool compose_next(struct batches *b, struct olv_error *err)
{
    olv_segment_begin(&b->next);
    while (!b->next.entries && !is_interrupted(b)) {
        b->next_mark = olv_spool_mark(b->docket);
        if (!olv_spool_next(b->docket, &b->segment, err))
            break;
        if (!add_segment(b, err))
            return false;
    }
    if (err->code != OLV_OK)
        return false;
    if (b->next.bytes.failed)
        return olv_fail_memory(err);
    if (is_interrupted(b)) /* at a question, perhaps */
        olv_segment_begin(&b->next);
    return true;
}

/* Its intent goes behind the outcomes of the batch before the one that is to be done now. */
static void intend_next(struct batches *b)
{
    const struct olv_run *run = b->carrying.run;
    struct olv_intent_facts intent = {.run = run->id, .decisions = b->next.entries};
    if (b->next.entries) {
        intent.batch = ++b->composed;
        olv_sha256(run->hasher, b->next.bytes.data, b->next.bytes.len, intent.segment);
    }
    recorder_gather(b->carrying.recorder, b->next.entries ? &intent : NULL);
}

/* ---- batch after batch ---- */

static bool do_now(struct batches *b, struct olv_error *err)
{
    bool ok;
    b->carrying.docket = b->docket;
    b->carrying.mark = b->now_mark;
    ok = !b->now.entries || batch_do(&b->carrying, &b->now, err);
    b->now.entries = 0;
    return ok;
}

static void turn(struct batches *b)
{
    struct olv_segment_writer done = b->now;
    b->now = b->next;
    b->next = done;
    b->now_mark = b->next_mark;
}

/* Where somebody is asked about single entries, nothing goes on beside the questions. */
static bool step(struct batches *b, bool *has_more, struct olv_error *err)
{
    struct olv_error late = {0};
    bool ok = compose_next(b, err), is_committed;
    *has_more = b->next.entries > 0;
    if (!ok)
        return false;
    intend_next(b);
    commits_begin(b->commits, &b->carrying.touched, *has_more ? &b->next.bytes : NULL, b->composed);
    ok = do_now(b, err);
    is_committed = commits_wait(b->commits, &late);
    turn(b);
    if (ok && !is_committed)
        *err = late;
    ok = ok && is_committed;
    return ok && b->approval && b->approval->asks ? do_now(b, err) : ok;
}

/* All outcomes up to now are lines, and what they tell of is on the disk. */
static bool settle_down(struct batches *b, struct olv_error *err)
{
    return (recorder_drain(b->carrying.recorder) || olv_fail_memory(err)) &&
           touched_sync(&b->carrying.touched, err);
}

/* A long run goes through segments of the ledger, and signs each. */
static bool turn_ledger(struct batches *b, struct olv_error *err)
{
    struct olv_run *run = b->carrying.run;
    return !olv_ledger_is_segment_full(run->ledger) ||
           (settle_down(b, err) && run_sync(run, err) && run_checkpoint(run, err));
}

static bool do_batches(struct batches *b, struct olv_error *err)
{
    bool has_more = true, ok = olv_spool_rewind(b->docket, err);
    while (ok && has_more)
        ok = step(b, &has_more, err) && turn_ledger(b, err);
    return ok && settle_down(b, err);
}

/* ---- the run ---- */

static bool make_directory(struct olv_run *run, struct olv_error *err)
{
    int failed;
    if (run->directory >= 0)
        return true;
    failed = mkdirat(run->state.runs, run->id, 0700);
    for (int i = 0; failed && errno == EEXIST && i < MOST_IDS && run_make_id(run); i++)
        failed = mkdirat(run->state.runs, run->id, 0700); /* another run of the same minute had that id */
    if (!failed)
        run->directory = openat(run->state.runs, run->id, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    return run->directory >= 0 || olv_fail_system(err, run->id, "cannot make the directory of the run");
}

bool run_begin(struct olv_run *run, struct olv_error *err)
{
    const struct olv_policy *policy = run->options.policy;
    while (!make_directory(run, err) || !state_mark_open(&run->state, run->id, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    olv_ledger_begin_run(run->ledger,
                         &(struct olv_run_facts){run->id, run->options.command, policy ? policy->path : NULL,
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
           (!any || catalogue_note_told(run->catalogue, err)) && state_mark_closed(&run->state, err);
}

static bool end(struct olv_run *run, const struct olv_run_result *r, struct olv_error *err)
{
    struct olv_end_facts facts = {run->id,           r->is_interrupted ? "interrupted" : "finished",
                                  r->done + r->told, r->left + r->refused,
                                  r->failed,         0};
    return run_end(run, &facts, err) && (!run->givens || givens_end_run(run->givens, run->context.now, err));
}

static bool open_batches(struct batches *b, struct olv_run *run, struct olv_run_result *result,
                         struct olv_error *err)
{
    struct carrying *c = &b->carrying;
    c->run = run;
    c->result = result;
    run->result = result;
    c->recorder = recorder_new(run->ledger);
    c->ahead = ahead_new(run->id, run->context.now);
    c->trace = trace_open(run->directory, true);
    b->commits = c->recorder ? commits_new(run, c->recorder) : NULL;
    return b->commits || olv_fail_memory(err);
}

static void close_batches(struct batches *b)
{
    commits_free(b->commits);
    ahead_free(b->carrying.ahead);
    recorder_free(b->carrying.recorder);
    touched_free(&b->carrying.touched);
    if (b->carrying.trace >= 0)
        close(b->carrying.trace);
    if (b->approved)
        olv_spool_free(b->approved);
    olv_text_free(&b->segment);
    olv_segment_free(&b->now);
    olv_segment_free(&b->next);
}

/* What goes into one archive comes one after the other, and so all questions come first. */
static bool put_in_order(struct batches *b, struct olv_error *err)
{
    struct olv_spool *approved;
    bool is_needed;
    if (!gather_is_needed(b->docket, &is_needed, err))
        return false;
    if (!is_needed)
        return true;
    approved = approved_docket(b->docket, b->approval, b->carrying.result, err);
    if (!approved)
        return false;
    b->approved = approved != b->docket ? approved : NULL;
    b->docket = approved;
    b->approval = NULL;
    return true;
}

/* It was made, and counted as done, when it had its turn. */
static void on_directory_failed(void *self, const char *path, const struct olv_error *why)
{
    const struct carrying *c = self;
    c->result->done--;
    c->result->by_act[olv_act_named("recover")->wire].files--;
    c->result->failed++;
    olv_observe_trouble(c->run->options.observer,
                        (struct olv_trouble){OLV_TROUBLE_FAILED, path, why->what, why->sys});
}

/* Recovered directories get their times when nothing more goes into them. */
static bool finish_directories(struct carrying *c, struct olv_error *err)
{
    struct olv_run *run = c->run;
    struct restore_options options = {OLV_REFUSE, geteuid() == 0, false, ""};
    int top = run->context.directories ? olv_os_open_path("/") : -1;
    bool ok;
    if (!run->context.directories)
        return true;
    if (top < 0)
        return olv_fail_system(err, "/", "cannot open it");
    ok = directories_finish(run->context.directories, top, &options, on_directory_failed, c, err);
    close(top);
    return ok;
}

bool olv_run_carry_out(struct olv_run *run, struct olv_spool *docket, const struct olv_approval *approval,
                       struct olv_run_result *result, struct olv_error *err)
{
    struct batches b = {.docket = docket, .approval = approval, .carrying = {.trace = -1}};
    bool ok;
    *result = (struct olv_run_result){0};
    olv_error_clear(err);
    ok = run_begin(run, err) || olv_error_as(err, OLV_STATE);
    ok = ok && open_batches(&b, run, result, err) && put_in_order(&b, err) && do_batches(&b, err) &&
         finish_directories(&b.carrying, err) && end(run, result, err);
    close_batches(&b);
    result->is_complete = ok && !result->is_interrupted;
    return ok; /* a run that could not be ended stays open, and the next one settles it */
}
