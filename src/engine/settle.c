/* SPDX-License-Identifier: Apache-2.0 */
/* After a crash at any point, the last intents of the open run say what may have been done. First takes back
 * what was begun and not completed; then looks at each entry without an outcome and records one: done, left
 * or unknown. Completes nothing. */
#include "depot/catalogue.h"
#include "engine/outcomes.h"
#include "engine/run.h"
#include "engine/trace.h"
#include "file/touched.h"
#include "state/register.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { OPEN_BATCHES = 2 /* at most; see carry.c */ };

struct settling {
    struct olv_run *run;
    char id[64]; /* of the cut-short run */
    bool has_begun, has_ended, has_outcomes;
    struct open_batch {
        uint64_t number;   /* 0: none */
        uint64_t sequence; /* number of its first entry, minus one */
        uint64_t decisions;
        bool has_outcome[OLV_SEGMENT_MOST];
    } open[OPEN_BATCHES]; /* those with the last intents, latest first */
    uint64_t decisions;   /* of all intents */
    uint64_t done, left, failed, unknown;
    bool is_same_boot;       /* as that run */
    int trace;               /* see trace.h */
    struct olv_instant last; /* when it wrote its trace, or made a file, for the last time */
};

static void note_intent(struct settling *s, const struct olv_ledger_record *r)
{
    for (int i = OPEN_BATCHES - 1; i > 0; i--)
        s->open[i] = s->open[i - 1];
    s->open[0] = (struct open_batch){.number = r->batch, .sequence = s->decisions, .decisions = r->decisions};
    s->decisions += r->decisions;
}

static void note_outcome(struct settling *s, const struct olv_ledger_record *r)
{
    s->has_outcomes = true;
    for (int i = 0; i < OPEN_BATCHES; i++)
        if (r->batch == s->open[i].number && r->entry < OLV_SEGMENT_MOST)
            s->open[i].has_outcome[r->entry] = true;
}

static void count_result(struct settling *s, const char *result, uint64_t files)
{
    uint64_t undone = olv_undone_files(files);
    if (strcmp(result, "left") == 0 || strcmp(result, "refused") == 0)
        s->left += undone;
    else if (strcmp(result, "failed") == 0)
        s->failed += undone;
    else if (strcmp(result, "unknown") == 0)
        s->unknown += undone;
    else
        s->done += files;
}

static bool look_at_line(void *self, const struct olv_ledger_record *r)
{
    struct settling *s = self;
    if (strcmp(r->kind, "begin") == 0)
        s->has_begun = true;
    if (strcmp(r->kind, "end") == 0)
        s->has_ended = true;
    if (strcmp(r->kind, "intent") == 0)
        note_intent(s, r);
    if (strcmp(r->kind, "outcome") == 0) {
        count_result(s, r->result, r->files);
        note_outcome(s, r);
    }
    return true;
}

/* Only existing ones: a new catalogue would say that nothing is in any archive. */
static bool know_registers(struct olv_run *run, struct olv_error *err)
{
    if (!run_catalogue(run, DATABASE_THERE, err) && err->sys && err->sys != ENOENT)
        return false; /* a damaged one (without an errno) is for `depot rebuild`, which is a run, too */
    olv_error_clear(err);
    if (!run_register(run, DATABASE_THERE, err) && err->sys != ENOENT)
        return false; /* what it knows would count as unknown */
    olv_error_clear(err);
    return true;
}

/* Its directory and its trash, as far as they can be reached. */
static bool settle_reach(struct settling *s, const struct hooks *hooks, const struct olv_docket_entry *e,
                         struct olv_error *err)
{
    struct turn *turn = &s->run->turn;
    run_take_turn(s->run, e);
    return olv_reach_again(&turn->directory, e, s->is_same_boot, err) &&
           run_find_trash(s->run, hooks, e, err);
}

/* "left" if nothing was done, "unknown" if nothing tells. */
static bool look_at_entry(struct settling *s, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct hooks *hooks = hooks_of(e);
    enum olv_truth was_done = OLV_NO;
    if (hooks && hooks->applied)
        was_done = settle_reach(s, hooks, e, &o->error) ? hooks->applied(&s->run->turn, e, o) : OLV_UNKNOWN;
    if (was_done == OLV_YES)
        return true;
    if (was_done == OLV_UNKNOWN && o->error.code == OLV_OK)
        olv_fail(&o->error, OLV_SYSTEM, "the run was cut short, and nothing tells whether it was done");
    else if (was_done == OLV_NO)
        olv_fail(&o->error, OLV_CHANGED, "the run was cut short before it");
    o->result = was_done == OLV_UNKNOWN ? OLV_UNSURE : OLV_LEFT;
    o->trash[0] = '\0';
    o->into = NULL;
    return false;
}

static void settle_entry(struct settling *s, uint64_t batch, const struct olv_docket_entry *e)
{
    struct turn *turn = &s->run->turn;
    const struct hooks *hooks = hooks_of(e);
    struct olv_outcome o = {0};
    struct olv_text path = {0};
    const char *result;
    char reason[512];
    bool was_done;
    turn->crash.trace =
        s->is_same_boot || e->act->manner ? trace_get(s->trace, batch, e->number) : OLV_TRACE_NONE;
    was_done = look_at_entry(s, e, &o);
    if (turn->directory.fd >= 0) /* also where nothing tells: a directory that was being emptied stays due */
        emptying_settle(s->run, e);
    outcomes_note(s->run, e, &o);
    result = hooks ? outcome_word(e->act, o.result) : "left";
    outcome_reason(&o, reason, sizeof reason);
    olv_docket_entry_path(e, &path);
    olv_ledger_outcome(s->run->ledger, &(struct olv_outcome_facts){
                                           .run = s->id,
                                           .batch = batch,
                                           .entry = e,
                                           .result = result,
                                           .reason = reason,
                                           .trash = source_of(e)->is_item ? e->name : o.trash,
                                           .into = o.into ? o.into : "",
                                           .trash_place = was_done ? run_trash_place(s->run, hooks) : "",
                                           .path = was_done && o.placed ? o.placed
                                                   : *e->target         ? e->target
                                                                        : olv_text_string(&path),
                                           .is_settled = true,
                                       });
    olv_text_free(&path);
    count_result(s, result, olv_docket_entry_files(e));
    s->run->settled++;
    s->run->settled_unknown += o.result == OLV_UNSURE;
}

/* What must be seen of all entries before the first is settled. */
static void look_before(struct settling *s, const struct olv_docket_entry *e)
{
    const struct hooks *hooks = hooks_of(e);
    struct olv_error ignored = {0};
    if (hooks && hooks->look)
        hooks->look(&s->run->turn, e, settle_reach(s, hooks, e, &ignored));
}

static struct olv_instant last_sign(int fd)
{
    struct olv_stat stat;
    return olv_os_stat(fd, "", &stat) ? stat.modified : (struct olv_instant){0};
}

/* When this boot began: nothing of an earlier one is later. */
static struct olv_instant boot_time(int64_t since_s)
{
    struct olv_instant now = olv_os_now();
    now.s -= since_s;
    return now;
}

/* All entries of a page that have no outcome. */
static bool each_open(struct settling *s, const struct open_batch *batch, const struct olv_text *page,
                      bool is_looking, struct olv_error *err)
{
    struct olv_page_reader *reader = olv_page_open(page, err);
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_s = 0;
    struct olv_docket_entry e;
    if (!reader)
        return false;
    s->run->turn.run.salt = olv_page_salt(reader);
    while (olv_page_next(reader, &e, err)) {
        s->is_same_boot = olv_os_boot(boot, &since_s) && strcmp(boot, olv_page_boot(reader)) == 0;
        s->run->turn.crash.last = s->is_same_boot ? s->last : boot_time(since_s);
        s->run->turn.sequence++;
        if (e.number >= OLV_SEGMENT_MOST || batch->has_outcome[e.number])
            continue;
        if (is_looking)
            look_before(s, &e);
        else
            settle_entry(s, batch->number, &e);
    }
    olv_page_close(reader);
    return err->code == OLV_OK;
}

static bool each_page(struct settling *s, const struct open_batch *batch, int fd, bool is_looking,
                      struct olv_error *err)
{
    struct olv_text page = {0};
    bool ok = true;
    s->run->turn.sequence = batch->sequence;
    for (uint64_t at = 0; ok && olv_page_read(fd, at, &page, err); at += page.len)
        ok = each_open(s, batch, &page, is_looking, err);
    olv_text_free(&page);
    if (!ok || err->code != OLV_OK)
        return false;
    return s->run->turn.sequence == batch->sequence + batch->decisions ||
           olv_fail(err, OLV_BROKEN, "the docket of a run that was cut short is not whole");
}

static bool settle_segment(struct settling *s, const struct open_batch *batch, bool is_looking,
                           struct olv_error *err)
{
    char name[32], path[128];
    bool ok;
    int fd;
    run_segment_name(name, batch->number);
    snprintf(path, sizeof path, "%.63s/%s", s->id, name);
    fd = openat(s->run->state.runs, path, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
    if (fd < 0 && errno == ENOENT)
        olv_fail(err, OLV_BROKEN, "the docket of a run that was cut short is gone");
    else if (fd < 0)
        olv_fail_system(err, path, "cannot open the docket of a run that was cut short");
    ok = fd >= 0 && each_page(s, batch, fd, is_looking, err);
    olv_os_close(fd);
    if (ok || err->code != OLV_BROKEN)
        return ok;
    olv_error_at(err, path);
    return olv_error_hint(err,
                          "restore it from a copy; or remove runs/open, and what that run was about to do "
                          "stays without an outcome. Nothing was touched");
}

/* What was found, and what info files say, is on disk before it is recorded. */
static bool sync_trashes(struct olv_run *run, struct olv_error *err)
{
    struct touched touched = {0};
    bool ok = true;
    for (size_t i = 0; i < olv_trashes_count(run->session->trashes); i++) {
        const struct olv_trash *trash = olv_trashes_at(run->session->trashes, i);
        ok = touched_add_system(&touched, trash->info, trash->files_stat.device, err) && ok;
    }
    return touched_sync(&touched, err) && ok;
}

/* All entries without an outcome: first each is looked at, then each is settled. */
static bool settle_pass(struct settling *s, bool is_looking, struct olv_error *err)
{
    struct olv_run *run = s->run;
    bool ok = true;
    run->turn.run.id = s->id;
    run->turn.crash.has_outcomes = s->has_outcomes;
    for (int i = OPEN_BATCHES - 1; ok && i >= 0; i--)
        ok = s->open[i].number == 0 || settle_segment(s, &s->open[i], is_looking, err);
    run->turn.run.id = run->id;
    run->turn.sequence = 0;
    return ok;
}

/* What the ledger and the run's own directory say of it. */
static bool settle_read(struct settling *s, struct olv_error *err)
{
    struct olv_run *run = s->run;
    const struct olv_ledger_query of_run = {.run = s->id, .without_names = true};
    int directory = openat(run->state.runs, s->id, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    bool ok = olv_ledger_search(run->session->options.state, &of_run, look_at_line, s, err);
    if (ok && directory >= 0) {
        ok = moves_read(directory, &run->settled_moves, err);
        s->trace = trace_open(directory, false);
        s->last = last_sign(s->trace >= 0 ? s->trace : directory);
    }
    olv_os_close(directory);
    return ok;
}

static bool is_cut_short(const struct settling *s)
{
    return s->has_begun && !s->has_ended;
}

static bool settle_run(struct settling *s, struct olv_error *err)
{
    struct olv_run *run = s->run;
    if (is_cut_short(s)) {
        bool ok = settle_pass(s, false, err);
        run_close_states(run);
        outcomes_remember(run);
        if (!ok || !olv_trashes_store(run->session->trashes, err) || !sync_trashes(run, err))
            return false;
        olv_ledger_end_run(
            run->ledger, &(struct olv_end_facts){s->id, "settled", s->done, s->left, s->failed, s->unknown});
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
    s->trace = -1;
    ok = know_registers(run, err) && state_open_run(&run->state, s->id, sizeof s->id, err) &&
         ((!strchr(s->id, '/') && s->id[0] != '.') || olv_fail(err, OLV_BROKEN, "runs/open names no run"));
    if (ok && s->id[0]) /* what was taken aside is back before archives are judged by it */
        ok = settle_read(s, err) && (!is_cut_short(s) || settle_pass(s, true, err));
    ok = ok && run_clear_archives(run, s->id, err);
    if (ok && s->id[0])
        ok = settle_run(s, err);
    run_close_states(run);
    olv_os_close(s->trace);
    free(s);
    return ok;
}
