/* SPDX-License-Identifier: Apache-2.0 */
/* source -> decide -> docket, for file trees. Each worker keeps tallies and a segment of its own; they meet
 * once at the end (tallies) or whenever a segment is full. */
#include "olvido/plan.h"

#include "file/identity.h"
#include "guard/guard.h"
#include "os/os.h"
#include "run/plan_trash.h"
#include "run/roots.h"
#include "run/tally.h"
#include "scan/subject.h"

#include <errno.h>
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>

struct planner;

struct plan_worker {
    struct planner *planner;
    struct olv_expr_scratch *scratch;
    struct olv_rule_tally *rules;
    uint64_t looked_at, not_owned, due_files, due_bytes;
    uint64_t mounts[OLV_PLAN_MOUNTS];
    size_t mount_count;
    struct olv_segment_writer segment;
    uint64_t dir; /* serial of the one that `dir_path` spells and `dir_stat` describes, or 0 */
    bool is_system;
    struct olv_text dir_path, below, path;
    struct olv_stat dir_stat;
};

struct planner {
    struct olv_plan *plan;
    const struct olv_policy *policy;
    const struct olv_plan_options *options;
    const struct olv_observer *observer; /* the caller's */
    struct olv_decider *decider;
    struct roots roots;
    struct plan_worker *workers;
    unsigned worker_count;
    struct olv_os_in_use *in_use; /* what is open for writing; NULL where that is of no use */
    atomic_bool has_failed;
    struct olv_error error; /* of the one who set has_failed */
};

/* An entry of the walk, as the statements of a policy see it. */
struct tree_subject {
    struct scan_subject scan; /* first member, and so is the subject in it */
    struct plan_worker *worker;
};

static enum olv_truth is_held(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    const struct olv_holds *holds = s->worker->planner->options->holds;
    const char *where = holds && scan_subject_look(subject) ? scan_subject_whole_path(&s->scan) : NULL;
    if (!holds)
        return OLV_NO;
    return where ? holds->is_held(holds->self, where, subject->stat) : OLV_UNKNOWN;
}

static bool in_respite(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    const struct olv_plan_options *options = s->worker->planner->options;
    const struct olv_scope *scope = s->scan.entry->dir->tag;
    if (scope->in_respite)
        return true;
    return options->respites && olv_respites_include(options->respites, subject->stat, options->as_of,
                                                     scan_subject_whole_path, &s->scan);
}

static bool is_in_use(struct olv_subject *subject)
{
    struct tree_subject *s = (struct tree_subject *)subject;
    const struct olv_os_in_use *in_use = s->worker->planner->in_use;
    return in_use && olv_os_is_in_use(in_use, subject->stat->device, subject->stat->inode);
}

static const struct olv_subject_facts tree_facts = {
    scan_subject_look, scan_subject_path, scan_subject_is_open, scan_subject_is_empty, is_held,
    in_respite,        is_in_use};

static void add_mount(uint64_t mounts[OLV_PLAN_MOUNTS], size_t *count, uint64_t mount)
{
    for (size_t i = *count; i > 0; i--) /* most often the last one again */
        if (mounts[i - 1] == mount)
            return;
    if (*count < OLV_PLAN_MOUNTS)
        mounts[(*count)++] = mount;
}

static void merge(struct planner *p, const struct plan_worker *w)
{
    struct olv_plan *plan = p->plan;
    if (!w->rules || !plan->rules)
        return;
    plan->looked_at += w->looked_at;
    plan->not_owned += w->not_owned;
    plan->due_files += w->due_files;
    plan->due_bytes += w->due_bytes;
    for (size_t i = 0; i < w->mount_count; i++)
        add_mount(plan->mounts, &plan->mount_count, w->mounts[i]);
    tally_merge(p->policy, plan->rules, w->rules);
}

/* ---- the docket ---- */

static void fail(struct planner *p, const struct olv_error *err)
{
    if (!atomic_exchange(&p->has_failed, true))
        p->error = *err;
}

static void flush(struct plan_worker *w)
{
    struct olv_error err = {0};
    if (w->segment.entries && !olv_spool_add(w->planner->plan->docket, &w->segment.bytes, &err))
        fail(w->planner, &err);
    olv_segment_begin(&w->segment);
}

/* Makes sure that the worker knows the path and the identity of the entry's directory. */
static bool know_directory(struct plan_worker *w, const struct olv_scan_entry *entry)
{
    bool ok;
    if (w->dir == entry->dir->serial)
        return true;
    olv_text_clear(&w->dir_path);
    olv_scan_dir_path(entry->dir, &w->dir_path);
    ok = !w->dir_path.failed && olv_os_stat(entry->dir_fd, "", &w->dir_stat);
    w->is_system = ok && olv_guard_is_system(w->dir_path.data);
    w->dir = ok ? entry->dir->serial : 0;
    return ok;
}

static bool is_guarded(const struct plan_worker *w, const struct olv_stat *stat)
{
    return w->is_system || olv_guard_is_own(w->planner->options->guard, stat->device, stat->inode);
}

static void add_to_docket(struct plan_worker *w, const struct olv_scan_entry *entry,
                          const struct olv_step *step, struct olv_verdict v)
{
    struct olv_docket_entry e = {
        .rule = v.rule,
        .step = v.step + 1,
        .rule_name = w->planner->policy->rules[v.rule].name,
        .act = step->act,
        .identity = olv_identity_of(&entry->stat),
        .directory = w->dir_path.data,
        .directory_mount = w->dir_stat.mount,
        .directory_inode = w->dir_stat.inode,
        .name = entry->name,
        .target = "",
        .due = v.since,
    };
    olv_segment_add(&w->segment, &e);
    if (w->segment.entries == OLV_SEGMENT_ENTRIES)
        flush(w);
}

static void note_due(struct plan_worker *w, struct olv_scan_entry *entry, struct olv_verdict v)
{
    const struct olv_plan_options *options = w->planner->options;
    const struct olv_step *step = &w->planner->policy->rules[v.rule].steps[v.step];
    struct olv_rule_tally *tally = &w->rules[v.rule];
    enum olv_reason waits;
    if (!know_directory(w, entry)) {
        fail(w->planner, &(struct olv_error){.code = OLV_MEMORY, .what = "memory ran out"});
        return;
    }
    if (step->act != OLV_ACT_TELL && is_guarded(w, &entry->stat)) {
        tally_count(&tally->by_reason[OLV_GUARDED], &entry->stat);
        return;
    }
    waits = why_it_waits(options, v.rule, step->act, step->may_run_unattended);
    if (waits != OLV_DUE) {
        tally_count(&tally->by_reason[waits], &entry->stat);
        return;
    }
    tally_count(&tally->steps[v.step], &entry->stat);
    if (options->selected && !options->selected[v.rule])
        return;
    w->due_files++;
    w->due_bytes += entry->stat.size_bytes;
    if (step->act == OLV_ACT_DISCARD)
        add_mount(w->mounts, &w->mount_count, w->dir_stat.mount);
    if (options->wants_docket)
        add_to_docket(w, entry, step, v);
}

/* ---- the walk ---- */

static void note(struct plan_worker *w, struct olv_scan_entry *entry, struct olv_verdict v)
{
    struct olv_rule_tally *tally = &w->rules[v.rule];
    if (v.reason == OLV_NOT_OWNED || v.reason == OLV_GONE) {
        w->not_owned += v.reason == OLV_NOT_OWNED;
        return;
    }
    if (v.reason == OLV_UNDECIDED) {
        tally->by_reason[OLV_UNDECIDED].files++;
        return;
    }
    tally_count(&tally->owned, &entry->stat);
    if (v.reason == OLV_DUE)
        note_due(w, entry, v);
    else
        tally_count(v.reason == OLV_KEPT ? &tally->steps[v.step] : &tally->by_reason[v.reason], &entry->stat);
}

static void visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct planner *p = self;
    struct plan_worker *w = &p->workers[number];
    struct tree_subject s = {.worker = w};
    if (entry->kind == OLV_KIND_DIRECTORY)
        return;
    scan_subject_begin(&s.scan, entry, &w->path, &tree_facts);
    w->looked_at++;
    note(w, entry,
         olv_decide(p->decider, entry->dir->tag, entry->dir->depth + 1, &s.scan.subject, w->scratch));
}

struct directory_subject {
    struct plan_worker *worker;
    const struct olv_scan_dir *dir;
};

static const char *directory_path(void *self)
{
    struct directory_subject *s = self;
    olv_text_clear(&s->worker->below);
    olv_scan_dir_path(s->dir, &s->worker->below);
    return s->worker->below.failed ? NULL : s->worker->below.data;
}

static bool in_spared_tree(const struct olv_scan_dir *dir)
{
    const struct olv_scope *above = dir->tag;
    return above && above->in_respite;
}

/* Whether this directory was recovered a short while ago, and so all that is in it. */
static bool is_spared_tree(struct plan_worker *w, const struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    const struct olv_plan_options *options = w->planner->options;
    return options->respites && !in_spared_tree(dir) &&
           olv_respites_include(options->respites, stat, options->as_of, directory_path,
                                &(struct directory_subject){w, dir});
}

static bool enter(void *self, unsigned number, struct olv_scan_dir *dir, int dir_fd)
{
    struct planner *p = self;
    struct plan_worker *w = &p->workers[number];
    const struct root_place *place;
    struct olv_stat stat;
    if (atomic_load(&p->has_failed))
        return false;
    if (!olv_os_stat(dir_fd, "", &stat) || olv_guard_is_own(p->options->guard, stat.device, stat.inode))
        return false;
    if (dir->depth == 0 || p->roots.has_nested[dir->root]) {
        olv_text_clear(&w->below);
        olv_scan_dir_path(dir, &w->below);
        place = roots_place(&p->roots, dir->root, olv_text_string(&w->below));
        if (place)
            dir->tag = in_spared_tree(dir) ? place->scope->spared : place->scope;
    }
    if (is_spared_tree(w, dir, &stat))
        dir->tag = ((const struct olv_scope *)dir->tag)->spared;
    return true;
}

static void on_trouble(void *self, const struct olv_trouble *trouble)
{
    struct planner *p = self;
    p->plan->troubles += trouble->kind == OLV_TROUBLE_UNREADABLE;
    olv_observe_trouble(p->observer, *trouble);
}

static void on_progress(void *self, const struct olv_progress *progress)
{
    struct planner *p = self;
    olv_observe_progress(p->observer, *progress);
}

static bool is_interrupted(void *self)
{
    struct planner *p = self;
    return atomic_load(&p->has_failed) || olv_observe_interrupted(p->observer);
}

/* What is open now says nothing about another day. */
static bool asks_for_use(const struct planner *p)
{
    enum { SAME_TIME_S = 60 };
    if (p->options->as_of.s > p->options->now.s + SAME_TIME_S)
        return false;
    for (size_t i = 0; i < p->policy->rule_count; i++)
        for (size_t k = 0; k < p->policy->rules[i].step_count; k++)
            if (p->policy->rules[i].steps[k].act > OLV_ACT_TELL && !p->policy->rules[i].open_too)
                return true;
    return false;
}

static bool begin(struct planner *p, const struct olv_observer *observer, struct olv_error *err)
{
    p->worker_count = olv_scan_workers();
    p->workers = calloc(p->worker_count, sizeof *p->workers);
    p->plan->rules = tally_rules(p->policy);
    p->decider = olv_decider_new(p->policy, p->options->now, p->options->as_of);
    if (!p->workers || !p->plan->rules || !p->decider || !roots_find(&p->roots, p->policy, observer))
        return olv_fail_memory(err);
    for (unsigned i = 0; i < p->worker_count; i++) {
        struct plan_worker *w = &p->workers[i];
        w->planner = p;
        w->scratch = olv_expr_scratch_new();
        w->rules = tally_rules(p->policy);
        if (!w->scratch || !w->rules)
            return olv_fail_memory(err);
        olv_segment_begin(&w->segment);
    }
    if (asks_for_use(p))
        p->in_use = olv_os_in_use_read();
    if (p->options->wants_docket)
        p->plan->docket = olv_spool_new(err);
    return p->plan->docket || !p->options->wants_docket;
}

static void end(struct planner *p)
{
    for (unsigned i = 0; p->workers && i < p->worker_count; i++) {
        struct plan_worker *w = &p->workers[i];
        olv_expr_scratch_free(w->scratch);
        olv_segment_free(&w->segment);
        olv_text_free(&w->dir_path);
        olv_text_free(&w->below);
        olv_text_free(&w->path);
        free(w->rules);
    }
    free(p->workers);
    olv_decider_free(p->decider);
    olv_os_in_use_free(p->in_use);
    roots_free(&p->roots);
}

static bool walk(struct planner *p, struct olv_error *err)
{
    struct olv_observer between = {p, on_progress, on_trouble, is_interrupted};
    struct olv_scan_visitor visitor = {p, enter, visit};
    bool ok =
        p->roots.root_count == 0 || olv_scan(p->roots.paths, p->roots.root_count, &visitor, &between, err);
    for (unsigned i = 0; ok && i < p->worker_count; i++) {
        if (p->options->wants_docket)
            flush(&p->workers[i]);
        merge(p, &p->workers[i]);
    }
    if (atomic_load(&p->has_failed)) {
        *err = p->error;
        return false;
    }
    return ok;
}

bool olv_plan_make(struct olv_plan *plan, struct olv_policy *policy, const struct olv_plan_options *options,
                   const struct olv_observer *observer, struct olv_error *err)
{
    struct planner p = {.plan = plan, .policy = policy, .options = options, .observer = observer};
    bool ok;
    *plan = (struct olv_plan){.now = options->now, .as_of = options->as_of};
    ok = begin(&p, &(struct olv_observer){&p, on_progress, on_trouble, is_interrupted}, err) &&
         walk(&p, err) && plan_trash(plan, policy, options, err);
    end(&p);
    return ok;
}

void olv_plan_free(struct olv_plan *plan)
{
    free(plan->rules);
    olv_spool_free(plan->docket);
    *plan = (struct olv_plan){0};
}
