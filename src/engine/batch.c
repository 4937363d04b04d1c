/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/batch.h"

#include "docket/each.h"
#include "engine/gather.h"
#include "engine/remember.h"
#include "engine/trace.h"
#include "hold/hold.h"

#include "os/os.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { TELL_EVERY = 64, FEW_ENTRIES = 16, LARGEST_GROUP = 256 };
#define GROUP_BYTES                                                                                          \
    ((uint64_t)256 << 20) /* a group of more than one entry has no more; its copies take room */

bool carrying_is_interrupted(struct carrying *c)
{
    c->result->is_interrupted |= olv_observe_interrupted(c->run->options.observer);
    return c->result->is_interrupted;
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

/* An outcome that nobody set is a failure, never a success. */
static void conclude(struct olv_outcome *o)
{
    if (o->result != OLV_PENDING)
        return;
    if (o->error.code == OLV_OK)
        olv_fail(&o->error, OLV_SYSTEM, "the act did not say what became of it");
    o->result = OLV_FAILED;
}

static void record(struct carrying *c, const struct hooks *act, const struct olv_docket_entry *e,
                   const struct olv_outcome *o)
{
    struct olv_run *run = c->run;
    char reason[512];
    const char *path = o->placed ? o->placed : path_of(run, e);
    olv_outcome_reason(o, reason, sizeof reason);
    recorder_add(c->recorder, &(struct olv_outcome_facts){
                                  .run = run->id,
                                  .batch = c->batch,
                                  .entry = e,
                                  .result = olv_act_result(e->act, o->result),
                                  .reason = reason,
                                  .trash = source_of(e)->is_item ? e->name : o->trash,
                                  .trash_place = run_trash_place(run, act),
                                  .path = path,
                                  .into = o->into ? o->into : "",
                                  .digest = o->digest,
                                  .has_stored = o->has_stored,
                                  .stored_bytes = o->stored_bytes,
                              });
    if (run->options.observer && run->options.observer->outcome)
        run->options.observer->outcome(run->options.observer->self,
                                       &(struct olv_told){.path = path,
                                                          .into = o->into ? o->into : "",
                                                          .result = olv_act_result(e->act, o->result),
                                                          .reason = reason,
                                                          .size_bytes = olv_docket_entry_size(e),
                                                          .has_stored = o->has_stored,
                                                          .stored_bytes = o->stored_bytes,
                                                          .seconds = o->seconds});
    remember_outcome(run, e, o);
    if (o->result == OLV_FAILED || o->result == OLV_DENIED)
        olv_observe_trouble(run->options.observer,
                            (struct olv_trouble){OLV_TROUBLE_FAILED, path, o->error.what, o->error.sys});
}

static void count(struct carrying *c, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    struct olv_run_result *r = c->result;
    if (o->result == OLV_FAILED) {
        r->failed++;
    } else if (o->result == OLV_DENIED) {
        r->refused++;
    } else if (o->result == OLV_LEFT) {
        r->is_interrupted |= o->error.code == OLV_INTERRUPTED;
        r->left++;
    } else if (!(e->act->traits & OLV_TOUCHES)) {
        r->told++;
    } else {
        r->done++;
        r->done_bytes += olv_docket_entry_size(e);
        r->by_act[e->act->wire].files++;
        r->by_act[e->act->wire].bytes += olv_docket_entry_size(e);
        r->by_act[e->act->wire].stored_bytes += o->stored_bytes;
    }
}

/* A look at all processes, at most a second old, which is lent to the acts if it has seen all. */
static void look_at_processes(struct olv_run *run)
{
    enum { FRESH_S = 1 };
    struct olv_instant now = olv_os_now();
    if (run->in_use && now.s <= run->in_use_at.s + FRESH_S && now.s >= run->in_use_at.s)
        return;
    olv_os_in_use_free(run->in_use);
    run->in_use = olv_os_in_use_read();
    run->in_use_at = now;
    run->context.in_use = run->in_use && olv_os_in_use_is_complete(run->in_use) ? run->in_use : NULL;
}

/* Whether somebody writes to it. For what can be taken back, that look answers for many files at once; else
 * the system is asked about this file alone. */
static enum olv_truth is_open_for_writing(struct olv_run *run, const struct olv_docket_entry *e)
{
    if (e->act->traits & OLV_FINAL)
        return olv_os_is_open_for_writing(run->context.source.fd, e->name);
    look_at_processes(run);
    if (run->in_use && olv_os_is_in_use(run->in_use, run->context.source.device, e->identity.inode))
        return OLV_YES;
    if (run->in_use && olv_os_in_use_is_complete(run->in_use))
        return OLV_NO;
    return olv_os_is_open_for_writing(run->context.source.fd, e->name);
}

/* Not the file's own affair. */
static bool is_exhausted(int error)
{
    return error == EMFILE || error == ENFILE || error == ENOMEM || error == EIO;
}

static bool spare(struct olv_outcome *o, enum olv_code code, const char *why)
{
    olv_fail(&o->error, code, "%s", why);
    o->result = OLV_LEFT;
    return true;
}

/* Nobody knows whether it may go; the next run may. `sys`: what the system answered, or 0. */
static bool spare_for_now(struct olv_outcome *o, int sys, const char *why)
{
    olv_fail(&o->error, OLV_SYSTEM, "%s", why);
    o->error.sys = sys;
    o->result = OLV_FAILED;
    return true;
}

static bool is_spared_for_writing(struct olv_run *run, const struct olv_docket_entry *e,
                                  struct olv_outcome *o)
{
    enum olv_truth is_open;
    errno = 0;
    is_open = is_open_for_writing(run, e);
    if (is_open == OLV_YES)
        return spare(o, OLV_CHANGED, "it is open for writing");
    if (is_open == OLV_UNKNOWN && is_exhausted(errno))
        return spare_for_now(o, errno, "cannot find out whether it is open for writing");
    return is_open == OLV_UNKNOWN && e->act->traits & OLV_FINAL &&
           spare(o, OLV_CHANGED, "nothing here tells whether it is open for writing");
}

/* Asked again right before the act: what a hold, the register or an open file says may be new. */
static bool is_spared(struct olv_run *run, const struct hooks *act, const struct olv_docket_entry *e,
                      struct olv_outcome *o)
{
    const struct olv_holds *holds = run->options.holds;
    const struct olv_policy *policy = run->options.policy;
    enum olv_truth is_held = OLV_NO, is_given = OLV_NO;
    struct olv_stat stat;
    if (!(e->act->traits & OLV_TOUCHES) || act->needs & ASKS_ITSELF)
        return false;
    /* What is not there, or is another file by now, is for the act to tell: whatever is known of its inode
     * may be about a file that has the number since. */
    if (!olv_os_stat(run->context.source.fd, e->name, &stat) || stat.inode != e->identity.inode)
        return false;
    if (!olv_act_is_allowed(&run->context, e, o))
        return true; /* before it is opened: closing any descriptor of a database drops its locks */
    if (holds)
        is_held = holds->is_held(holds->self, path_of(run, e), &stat);
    if (e->rule < OLV_OF_TRASH && run->givens)
        is_given = givens_spare(run->givens, &stat, run->context.now);
    if (is_held == OLV_YES)
        return spare(o, OLV_REFUSED, "it is held");
    if (is_given == OLV_YES)
        return spare(o, OLV_REFUSED, "it was given back a short while ago");
    if (is_held == OLV_UNKNOWN)
        return spare_for_now(o, 0, "cannot find out whether it is held");
    if (is_given == OLV_UNKNOWN)
        return spare_for_now(o, 0, "cannot find out whether it was given back a short while ago");
    run->context.asks_open = !(policy && e->rule < policy->rule_count && policy->rules[e->rule].open_too);
    if (e->identity.kind == OLV_KIND_DIRECTORY) /* the act looks into it, and asks then */
        look_at_processes(run);
    return e->identity.kind == OLV_KIND_FILE && run->context.asks_open && is_spared_for_writing(run, e, o);
}

/* A missing file is skipped; a missing depot is an error. */
static void unreached(const struct hooks *act, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    olv_act_unsuccessful(o);
    if (!(act->needs & NEEDS_PLACE))
        return;
    if (o->error.code == OLV_CHANGED)
        olv_fail(&o->error, OLV_SYSTEM, "its archive cannot be reached: the depot %.200s is not there",
                 e->directory);
    o->result = OLV_FAILED;
}

/* What was done to its archive, with others of the same, is not undone by what happens in its own turn. */
static bool was_done_before(const struct carrying *c, const struct hooks *act,
                            const struct olv_docket_entry *e)
{
    return act->needs & NEEDS_PLACE && act->is_decided && act->is_decided(&c->run->context, e);
}

static void apply(struct carrying *c, const struct hooks *act, const struct olv_docket_entry *e,
                  struct olv_outcome *o)
{
    struct olv_run *run = c->run;
    if (was_done_before(c, act, e)) {
        act->apply(&run->context, e, o);
        return;
    }
    if (!olv_reach_directory(&run->context.source, e, &o->error) || !run_find_trash(run, act, e, &o->error)) {
        unreached(act, e, o);
        return;
    }
    if (act->prepare)
        ahead_know(c->ahead, run->context.source.mount, run->context.trash);
    if (is_spared(run, act, e, o))
        return;
    if (act->needs & NEEDS_NOTE)
        trace_put(c->trace, c->batch, e->number, OLV_TRACE_BEGUN);
    act->apply(&run->context, e, o);
    if (act->needs & NEEDS_NOTE)
        trace_put(c->trace, c->batch, e->number, o->result == OLV_DONE ? OLV_TRACE_DONE : OLV_TRACE_NOT_DONE);
}

static bool note_source(struct carrying *c, struct olv_error *err)
{
    const struct olv_reach *source = &c->run->context.source;
    struct olv_stat stat = {.device = source->device, .inode = source->inode};
    return source->fd < 0 || touched_add(&c->touched, source->fd, &stat, err);
}

static bool do_entry(struct carrying *c, const struct olv_docket_entry *e, struct olv_error *err)
{
    struct olv_run *run = c->run;
    const struct hooks *act = hooks_of(e);
    struct olv_outcome o = {0};
    bool ok = true;
    run->context.sequence++;
    run->context.prepared = ahead_take(c->ahead, e->number);
    if (act->needs & IS_GATHERED && !carrying_is_interrupted(c))
        ok = gather_archive(run, &(struct gather_place){c->docket, c->mark, e->number, run->context.sequence},
                            err);
    if (!ok) {
        ahead_drop(run->context.prepared);
        return false;
    }
    if (carrying_is_interrupted(c) && !(act->is_decided && act->is_decided(&run->context, e))) {
        olv_act_interrupted(&o);
    } else {
        apply(c, act, e, &o);
        ok = !(e->act->traits & OLV_TOUCHES) || note_source(c, err);
    }
    ahead_drop(run->context.prepared);
    conclude(&o);
    record(c, act, e, &o);
    count(c, e, &o);
    return ok;
}

/* ---- a group of entries ---- */

struct group {
    struct olv_docket_entry entries[LARGEST_GROUP];
    struct olv_outcome outcomes[LARGEST_GROUP];
    void *made[LARGEST_GROUP];
    size_t count;
    uint64_t bytes;
};

/* Whether the entry belongs to the group, too. */
static bool belongs(const struct group *g, const struct olv_docket_entry *e)
{
    const struct olv_group_act *group = hooks_of(e)->group;
    if (!group)
        return false;
    if (g->count && group->is_alone && (group->is_alone(e) || group->is_alone(&g->entries[0])))
        return false;
    return g->count == 0 || (g->count < LARGEST_GROUP && hooks_of(&g->entries[0]) == hooks_of(e) &&
                             g->bytes + e->identity.size_bytes <= GROUP_BYTES);
}

static void join(struct group *g, const struct olv_docket_entry *e)
{
    g->outcomes[g->count] = (struct olv_outcome){0};
    g->made[g->count] = NULL;
    g->entries[g->count++] = *e;
    g->bytes += e->identity.size_bytes;
}

/* Whether it may be touched, as far as that can be known now. */
static void look_before(struct carrying *c, const struct hooks *act, const struct olv_docket_entry *e,
                        struct olv_outcome *o)
{
    struct olv_run *run = c->run;
    if (carrying_is_interrupted(c)) {
        olv_act_interrupted(o);
    } else if (!olv_reach_directory(&run->context.source, e, &o->error)) {
        unreached(act, e, o);
    } else {
        is_spared(run, act, e, o);
    }
}

static void apply_group(struct carrying *c, const struct hooks *act, struct group *g)
{
    struct olv_act_context *context = &c->run->context;
    struct olv_error err = {0};
    struct olv_group group = {.entries = g->entries,
                              .outcomes = g->outcomes,
                              .made = g->made,
                              .count = g->count,
                              .sequence = context->sequence + 1,
                              .files_done = c->result->done,
                              .bytes_done = c->result->done_bytes};
    for (size_t i = 0; i < g->count; i++)
        look_before(c, act, &g->entries[i], &g->outcomes[i]);
    act->group->make(context, &group);
    if (!remember_store(c->run, &err))
        olv_group_fail(&group, &err);
    for (size_t i = 0; i < g->count; i++) {
        struct olv_outcome *o = &g->outcomes[i];
        context->sequence++;
        context->made = g->made[i];
        ahead_drop(ahead_take(c->ahead, g->entries[i].number));
        if (o->result == OLV_PENDING)
            look_before(c, act, &g->entries[i], o);
        if (o->result == OLV_PENDING)
            act->apply(context, &g->entries[i], o);
    }
    if (act->group->complete)
        act->group->complete(context, &group);
}

static bool do_group(struct carrying *c, struct group *g, struct olv_error *err)
{
    const struct hooks *act = g->count ? hooks_of(&g->entries[0]) : NULL;
    struct olv_group group = {.made = g->made, .count = g->count};
    bool ok = true;
    if (!act)
        return true;
    apply_group(c, act, g);
    for (size_t i = 0; i < g->count; i++) {
        const struct olv_docket_entry *e = &g->entries[i];
        conclude(&g->outcomes[i]);
        record(c, act, e, &g->outcomes[i]);
        count(c, e, &g->outcomes[i]);
        if (ok && g->outcomes[i].result == OLV_DONE)
            ok = olv_reach_directory(&c->run->context.source, e, err) ? note_source(c, err) : true;
    }
    act->group->drop(&group);
    g->count = 0;
    g->bytes = 0;
    return ok;
}

/* ---- the batch ---- */

static void tell_progress(const struct carrying *c, const struct olv_act *act)
{
    const struct olv_run_result *r = c->result;
    olv_observe_progress(
        c->run->options.observer,
        (struct olv_progress){.doing = act->word,
                              .bytes = r->done_bytes,
                              .files = r->done + r->told + r->left + r->refused + r->failed});
}

/* Items came or went in them. */
static bool note_trashes(struct carrying *c, struct olv_error *err)
{
    struct olv_trashes *trashes = c->run->trashes;
    bool ok = true;
    for (size_t i = 0; ok && i < olv_trashes_count(trashes); i++) {
        struct olv_trash *trash = olv_trashes_at(trashes, i);
        const struct olv_stat *files = &trash->files_stat;
        struct olv_stat info;
        if (olv_trash_take_new(trash))
            ok = touched_add_system(&c->touched, trash->info, files->device, err);
        else if (olv_os_stat(trash->info, "", &info))
            ok = touched_add(&c->touched, trash->info, &info, err) &&
                 touched_add(&c->touched, trash->files, files, err);
        else
            ok = olv_fail_system(err, trash->files_path, "cannot look at the trash");
    }
    return ok;
}

static bool finish_acts(struct carrying *c, bool uses_trash, struct olv_error *err)
{
    remember_settle(c->run);
    return !uses_trash || (olv_trashes_store(c->run->trashes, err) && note_trashes(c, err));
}

/* Opens what the acts of the batch need beside their files, and notes in the register what is known
 * beforehand to get a name. */
static bool announce(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct carrying *c = self;
    struct olv_run *run = c->run;
    const struct hooks *act = hooks_of(e);
    struct olv_error ignored = {0}; /* the act says what that means */
    run->context.sequence++;
    if (act->needs & NEEDS_GIVENS && !run_givens(run, err))
        return false;
    if (act->needs & NEEDS_CATALOGUE && !(act->needs & IS_GATHERED) && !run->catalogue)
        run_catalogue(run, &ignored);
    return !act->announce || act->announce(&run->context, e, err);
}

static bool prepare(struct carrying *c, const struct olv_segment_writer *segment, struct olv_error *err)
{
    struct olv_run *run = c->run;
    uint64_t sequence = run->context.sequence;
    bool ok = olv_segment_each(&segment->bytes, announce, c, err);
    run->context.sequence = sequence;
    return ok && (!run->givens || givens_store(run->givens, run->id, run->context.now, err));
}

bool batch_do(struct carrying *c, const struct olv_segment_writer *segment, struct olv_error *err)
{
    struct olv_segment_reader *reader = olv_segment_open(segment->bytes.data, segment->bytes.len, err);
    struct olv_docket_entry e;
    struct group *g = reader ? calloc(1, sizeof *g) : NULL;
    bool uses_trash = false, ok = true;
    if (!g) {
        olv_segment_close(reader);
        return reader ? olv_fail_memory(err) : false;
    }
    c->batch++;
    c->run->context.touched = &c->touched;
    c->run->context.is_small = segment->entries <= FEW_ENTRIES;
    ahead_begin(c->ahead, &segment->bytes, c->run->context.sequence, c->run->context.is_small);
    c->run->context.segment = &segment->bytes;
    c->run->context.batch = c->batch;
    c->run->context.salt = olv_segment_salt(reader);
    c->run->context.holds = c->run->options.holds;
    ok = prepare(c, segment, err);
    while (ok && olv_segment_next(reader, &e, err)) {
        uses_trash |= hooks_of(&e)->needs & NEEDS_TRASH;
        if (!belongs(g, &e))
            ok = do_group(c, g, err);
        if (ok && belongs(g, &e))
            join(g, &e);
        else if (ok)
            ok = do_entry(c, &e, err);
        if (e.number % TELL_EVERY == 0)
            tell_progress(c, e.act);
    }
    ok = ok && err->code == OLV_OK && do_group(c, g, err);
    ahead_end(c->ahead);
    ok = ok && finish_acts(c, uses_trash, err);
    free(g);
    olv_segment_close(reader);
    return ok;
}
