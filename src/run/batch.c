/* SPDX-License-Identifier: Apache-2.0 */
/* The durable order of every batch: its docket segment to disk, the intent that commits to it to disk, the
 * acts, the touched directories to disk, the outcomes into the ledger, which become durable with the next
 * intent. So an outcome is never durable before its act, and an act never happens without a durable intent.
 */
#include "run/ahead.h"
#include "run/flusher.h"
#include "run/recorder.h"
#include "run/reserve.h"
#include "run/run.h"

#include "os/durable.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { TELL_EVERY = 64, MOST_IDS = 100 };

struct carrying {
    struct olv_run *run;
    struct olv_run_result *result;
    struct recorder *recorder;
    struct ahead *ahead; /* NULL: nothing is prepared */
    struct flusher *flusher;
    struct olv_segment_writer writer; /* the batch: what was approved of a segment of the docket */
};

static bool is_interrupted(struct carrying *c)
{
    c->result->is_interrupted |= olv_observe_interrupted(c->run->options.observer);
    return c->result->is_interrupted;
}

/* ---- the touched directories ---- */

static bool sync_touched(struct olv_run *run, struct olv_error *err)
{
    bool ok = true;
    for (unsigned i = 0; i < run->touched_count; i++) {
        if (fsync(run->touched[i]) < 0 && ok)
            ok = olv_fail_system(err, "", "cannot bring a directory to the disk");
        close(run->touched[i]);
    }
    run->touched_count = 0;
    return ok;
}

static bool note_touched(struct olv_run *run, struct olv_error *err)
{
    int fd;
    if (run->touched_count >= run->touched_most && !sync_touched(run, err))
        return false;
    fd = fcntl(run->context.source.fd, F_DUPFD_CLOEXEC, 3);
    if (fd < 0)
        return fsync(run->context.source.fd) == 0 ||
               olv_fail_system(err, "", "cannot bring a directory to the disk");
    run->touched[run->touched_count++] = fd;
    return true;
}

/* ---- one entry ---- */

static const char *path_of(struct olv_run *run, const struct olv_docket_entry *e)
{
    struct olv_text *path = &run->context.path;
    if (*e->target)
        return e->target;
    olv_text_clear(path);
    olv_docket_entry_path(e, path);
    return olv_text_string(path);
}

static void reason_of(const struct olv_outcome *o, char *out, size_t size)
{
    out[0] = '\0';
    if (o->result == OLV_DONE)
        return;
    if (o->error.sys)
        snprintf(out, size, "%s: %s", o->error.what, strerror(o->error.sys));
    else
        snprintf(out, size, "%s", o->error.what);
}

/* Of the trash that was used, where it is not the home trash. */
static const char *trash_place(const struct olv_run *run, const struct olv_act *act)
{
    const struct olv_trash *trash = act->needs_trash ? run->context.trash : NULL;
    return trash && !olv_trash_is_home(trash) ? olv_trash_path(trash) : "";
}

static void record(struct carrying *c, const struct olv_act *act, const struct olv_docket_entry *e,
                   const struct olv_outcome *o)
{
    static const char *const words[] = {"done", "left", "refused", "failed"};
    struct olv_run *run = c->run;
    char reason[512];
    const char *path = run->context.placed.len ? run->context.placed.data : path_of(run, e);
    reason_of(o, reason, sizeof reason);
    recorder_add(c->recorder, &(struct olv_outcome_facts){
                                  .run = run->id,
                                  .batch = run->batch,
                                  .entry = e,
                                  .result = o->result == OLV_DONE ? act->result : words[o->result],
                                  .reason = reason,
                                  .trash = act->find_trash == olv_act_trash_of_item ? e->name : o->trash,
                                  .trash_place = trash_place(run, act),
                                  .path = path,
                              });
    if (o->result == OLV_FAILED || o->result == OLV_DENIED)
        olv_observe_trouble(run->options.observer,
                            (struct olv_trouble){OLV_TROUBLE_FAILED, path, o->error.what, o->error.sys});
}

static void count(struct carrying *c, const struct olv_act *act, const struct olv_docket_entry *e,
                  const struct olv_outcome *o)
{
    struct olv_run_result *r = c->result;
    if (o->result == OLV_FAILED) {
        r->failed++;
    } else if (o->result == OLV_DENIED) {
        r->refused++;
    } else if (o->result == OLV_LEFT) {
        r->left++;
    } else if (!act->is_touching) {
        r->told++;
    } else {
        r->done++;
        r->done_bytes += olv_docket_entry_size(e);
    }
}

/* Whether somebody writes to it. For what can be taken back, a look at all processes that is at most a second
 * old answers for many files at once; else the system is asked about this file alone. */
static enum olv_truth is_open_for_writing(struct olv_run *run, const struct olv_docket_entry *e)
{
    enum { FRESH_S = 1 };
    struct olv_instant now = olv_os_now();
    if (olv_act_is_final(e->act))
        return olv_os_is_open_for_writing(run->context.source.fd, e->name);
    if (!run->in_use || now.s > run->in_use_at.s + FRESH_S || now.s < run->in_use_at.s) {
        olv_os_in_use_free(run->in_use);
        run->in_use = olv_os_in_use_read();
        run->in_use_at = now;
    }
    if (run->in_use && olv_os_is_in_use(run->in_use, run->context.source.device, e->identity.inode))
        return OLV_YES;
    if (run->in_use && olv_os_in_use_is_complete(run->in_use))
        return OLV_NO;
    return olv_os_is_open_for_writing(run->context.source.fd, e->name);
}

/* Asked again right before the act: what a hold or an open file says may be new. */
static bool is_spared(struct olv_run *run, const struct olv_act *act, const struct olv_docket_entry *e,
                      struct olv_outcome *o)
{
    const struct olv_holds *holds = run->options.holds;
    const struct olv_policy *policy = run->options.policy;
    enum olv_truth is_open;
    struct olv_stat stat;
    if (!act->is_touching || e->act == OLV_ACT_RECOVER || e->act == OLV_ACT_CLEAR)
        return false;
    o->result = OLV_LEFT;
    if (holds && olv_os_stat(run->context.source.fd, e->name, &stat) &&
        holds->is_held(holds->self, path_of(run, e), &stat) != OLV_NO)
        return !olv_fail(&o->error, OLV_REFUSED, "it is held");
    if (e->identity.kind == OLV_KIND_FILE &&
        !(policy && e->rule < policy->rule_count && policy->rules[e->rule].open_too)) {
        is_open = is_open_for_writing(run, e);
        if (is_open == OLV_YES || (is_open == OLV_UNKNOWN && olv_act_is_final(e->act)))
            return !olv_fail(&o->error, OLV_CHANGED, "it is open for writing");
    }
    o->result = OLV_DONE;
    return false;
}

static void apply(struct carrying *c, const struct olv_act *act, const struct olv_docket_entry *e,
                  struct olv_outcome *o)
{
    struct olv_run *run = c->run;
    if (!olv_reach_directory(&run->context.source, e, &o->error) || !run_find_trash(run, act, e, &o->error)) {
        olv_act_unsuccessful(o);
        return;
    }
    if (act->prepare)
        ahead_know(c->ahead, run->context.source.mount, run->context.trash);
    if (!is_spared(run, act, e, o))
        act->apply(&run->context, e, o);
}

static bool do_entry(struct carrying *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_run *run = c->run;
    const struct olv_act *act = olv_act_find(e->act);
    struct olv_outcome o = {0};
    int before = run->context.source.fd;
    uint64_t inode = run->context.source.inode;
    bool ok = true;
    run->context.sequence++;
    olv_text_clear(&run->context.placed);
    run->context.prepared = ahead_take(c->ahead, e->number);
    if (is_interrupted(c)) {
        olv_fail(&o.error, OLV_INTERRUPTED, "interrupted before it was reached");
        o.result = OLV_LEFT;
    } else {
        apply(c, act, e, &o);
        if (act->is_touching && run->context.source.fd >= 0 &&
            (before < 0 || inode != run->context.source.inode || !run->touched_count))
            ok = note_touched(run, err);
    }
    ahead_drop(run->context.prepared);
    record(c, act, e, &o);
    count(c, act, e, &o);
    return ok;
}

/* ---- one batch ---- */

static bool write_segment(struct carrying *c, uint8_t digest[OLV_SHA256_SIZE], struct olv_error *err)
{
    const struct olv_text *bytes = &c->writer.bytes;
    char name[32];
    if (bytes->failed)
        return olv_fail_memory(err);
    run_segment_name(name, c->run->batch);
    olv_sha256(c->run->hasher, bytes->data, bytes->len, digest);
    if (!olv_write_new(c->run->directory, name, bytes->data, bytes->len, err))
        return false;
    return fsync(c->run->directory) == 0 || olv_fail_system(err, name, "cannot bring the docket to the disk");
}

static void tell_progress(const struct carrying *c, const struct olv_act *act)
{
    const struct olv_run_result *r = c->result;
    olv_observe_progress(
        c->run->options.observer,
        (struct olv_progress){.doing = olv_act_word(act->id),
                              .bytes = r->done_bytes,
                              .files = r->done + r->told + r->left + r->refused + r->failed});
}

/* What new info files say may reach the disk later than the items, as long as the run is open: settling it
 * would write them again. */
static void flush_new_items(struct carrying *c)
{
    struct olv_trashes *trashes = c->run->trashes;
    int fd;
    for (size_t i = 0; i < olv_trashes_count(trashes); i++)
        if (olv_trash_take_new(olv_trashes_at(trashes, i), &fd))
            flusher_add(c->flusher, fd);
}

static bool settle_acts(struct olv_run *run, const bool used[OLV_ACT_COUNT], struct olv_error *err)
{
    for (int id = 0; id < OLV_ACT_COUNT; id++) {
        const struct olv_act *act = used[id] ? olv_act_find((enum olv_act_id)id) : NULL;
        if (act && act->settle && !act->settle(&run->context, err))
            return false;
    }
    return sync_touched(run, err) && run_store_respites(run, err);
}

static bool do_entries(struct carrying *c, struct olv_error *err)
{
    struct olv_segment_reader *reader = olv_segment_open(c->writer.bytes.data, c->writer.bytes.len, err);
    struct olv_docket_entry e;
    bool used[OLV_ACT_COUNT] = {false}, ok = reader != NULL;
    ahead_begin(c->ahead, c->writer.bytes.data, c->writer.bytes.len, c->run->context.sequence);
    while (ok && olv_segment_next(reader, &e, err)) {
        used[e.act] = true;
        ok = do_entry(c, &e, err);
        if (e.number % TELL_EVERY == 0)
            tell_progress(c, olv_act_find(e.act));
    }
    ahead_end(c->ahead);
    ok = ok && err->code == OLV_OK && settle_acts(c->run, used, err);
    flush_new_items(c);
    if (!recorder_drain(c->recorder) && ok)
        ok = olv_fail_memory(err);
    olv_segment_close(reader);
    return ok;
}

static bool do_batch(struct carrying *c, struct olv_error *err)
{
    uint8_t digest[OLV_SHA256_SIZE];
    struct olv_run *run = c->run;
    run->batch++;
    reserve_fill(run->state.dir); /* what was used is made good as soon as there is room again */
    while (!write_segment(c, digest, err))
        if (!reserve_use(run->state.dir, err))
            return false;
    olv_ledger_intent(run->ledger, run->id, run->batch, digest, c->writer.entries);
    return run_sync(run, err) && do_entries(c, err);
}

/* Copies what is approved of a segment into the batch. */
static bool compose(struct carrying *c, const struct olv_text *segment, struct olv_error *err)
{
    const struct olv_run_options *options = &c->run->options;
    struct olv_segment_reader *reader = olv_segment_open(segment->data, segment->len, err);
    struct olv_docket_entry e;
    olv_segment_begin(&c->writer);
    if (!reader)
        return false;
    while (olv_segment_next(reader, &e, err)) {
        if (options->approve && !options->approve(options->self, &e))
            c->result->declined++;
        else if (olv_act_find(e.act))
            olv_segment_add(&c->writer, &e);
    }
    olv_segment_close(reader);
    return err->code == OLV_OK;
}

static bool do_batches(struct carrying *c, struct olv_spool *docket, struct olv_error *err)
{
    struct olv_text segment = {0};
    bool ok = true;
    olv_spool_rewind(docket);
    while (ok && !is_interrupted(c) && olv_spool_next(docket, &segment, err)) {
        ok = compose(c, &segment, err);
        if (ok && c->writer.entries && !is_interrupted(c))
            ok = do_batch(c, err);
    }
    ok = ok && err->code == OLV_OK;
    olv_text_free(&segment);
    return ok;
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

static bool begin(struct olv_run *run, struct olv_error *err)
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

static bool end(struct carrying *c, struct olv_error *err)
{
    const struct olv_run_result *r = c->result;
    struct olv_run *run = c->run;
    olv_ledger_end_run(run->ledger,
                       &(struct olv_end_facts){run->id, r->is_interrupted ? "interrupted" : "finished",
                                               r->done + r->told, r->left + r->refused, r->failed});
    return run_sync(run, err) && run_checkpoint(run, err) && state_mark_closed(&run->state, err);
}

bool olv_run_carry_out(struct olv_run *run, struct olv_spool *docket, struct olv_run_result *result,
                       struct olv_error *err)
{
    struct carrying c = {.run = run, .result = result};
    bool ok;
    *result = (struct olv_run_result){0};
    *err = (struct olv_error){0};
    ok = begin(run, err) || olv_error_as(err, OLV_STATE);
    if (ok && !(c.recorder = recorder_new(run->ledger)))
        ok = olv_fail_memory(err);
    if (ok && !(c.flusher = flusher_new()))
        ok = olv_fail_memory(err);
    c.ahead = ahead_new(run->id, run->context.now);
    ok = ok && do_batches(&c, docket, err) && flusher_wait(c.flusher, err) && end(&c, err);
    ahead_free(c.ahead);
    flusher_free(c.flusher);
    recorder_free(c.recorder);
    olv_segment_free(&c.writer);
    result->is_complete = ok && !result->is_interrupted;
    return ok; /* a run that could not be ended stays open, and the next one settles it */
}
