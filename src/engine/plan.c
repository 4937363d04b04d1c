/* SPDX-License-Identifier: Apache-2.0 */
/* source -> judge -> docket, for file trees. Each worker has its own tallies and segment; tallies are merged
 * at the end, segments when they are full. */
#include "olvido/plan.h"

#include "engine/plan_parts.h"
#include "file/identity.h"
#include "judge/judging.h"
#include "judge/tally.h"
#include "judge/whole.h"
#include "olvido/guard.h"
#include "olvido/path.h"
#include "os/os.h"
#include "source/hooks.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

struct planner;

struct plan_worker {
    struct planner *planner;
    struct judge judge;
    struct olv_rule_tally *rules;
    uint64_t looked_at, not_owned;
    struct olv_tally due;
    uint64_t mounts[OLV_PLAN_MOUNTS];
    size_t mount_count;
    struct olv_composing composing;
    uint64_t dir; /* serial of the directory in `dir_path` and `dir_stat`, or 0 */
    bool is_guarded;
    struct olv_text dir_path;
    struct olv_stat dir_stat;
    struct olv_text arguments, scratch[2]; /* of the entry */
};

struct planner {
    struct olv_plan *plan;
    const struct olv_policy *policy;
    const struct olv_plan_options *options;
    struct judging judging;
    struct wholes *wholes; /* directories that go or stay as a whole; NULL: no rule is about any */
    struct plan_worker *workers;
    unsigned worker_count;
    struct scan_relay relay;
};

static void add_mount(uint64_t mounts[OLV_PLAN_MOUNTS], size_t *count, uint64_t mount)
{
    for (size_t i = *count; i > 0; i--) /* usually the last one again */
        if (mounts[i - 1] == mount)
            return;
    if (*count < OLV_PLAN_MOUNTS)
        mounts[(*count)++] = mount;
}

static void plan_merge(struct planner *p, const struct plan_worker *w)
{
    struct olv_plan *plan = p->plan;
    if (!w->rules || !plan->rules)
        return;
    plan->looked_at += w->looked_at;
    plan->not_owned += w->not_owned;
    tally_add(&plan->due, &w->due);
    for (size_t i = 0; i < w->mount_count; i++)
        add_mount(plan->mounts, &plan->mount_count, w->mounts[i]);
    tally_merge(p->policy, plan->rules, w->rules);
}

/* ---- the docket ---- */

/* Makes sure that the worker knows path and identity of the entry's directory. */
static bool plan_know_directory(struct plan_worker *w, const struct olv_scan_entry *entry,
                                struct olv_error *err)
{
    bool has_entered = w->judge.entered == entry->dir->serial; /* another worker may have it, too */
    if (w->dir == entry->dir->serial)
        return true;
    olv_text_clear(&w->dir_path);
    olv_scan_dir_path(entry->dir, &w->dir_path);
    w->dir = 0;
    if (w->dir_path.failed)
        return olv_fail_memory(err);
    if (has_entered)
        w->dir_stat = w->judge.entered_stat;
    else if (!olv_os_stat(entry->dir_fd, "", &w->dir_stat))
        return olv_fail_system(err, w->dir_path.data, "cannot look at the directory");
    w->is_guarded = olv_guard_of(w->planner->options->guard, w->dir_path.data) != OLV_NO_BARRIER;
    w->dir = entry->dir->serial;
    return true;
}

static bool is_guarded(const struct plan_worker *w, const struct olv_scan_entry *entry)
{
    const struct olv_guard *guard = w->planner->options->guard;
    const struct olv_stat *stat = &entry->stat;
    if (w->is_guarded || olv_guard_is_own(guard, stat->device, stat->inode))
        return true;
    return stat->kind == OLV_KIND_DIRECTORY &&
           (olv_begins_another(&w->dir_stat, stat) || olv_guard_landmark(guard, stat->device, stat->inode));
}

/* The entry's directory, relative to its rule's `under`. */
static const char *below_under(const struct plan_worker *w, const struct olv_scan_entry *entry, uint32_t rule)
{
    const char *root = w->planner->judging.roots.paths[entry->dir->root];
    const struct olv_scope *scope = entry->dir->tag;
    size_t skip = strlen(root) > 1 ? strlen(root) + 1 : 1;
    for (uint32_t i = 0; i < scope->count; i++)
        if (scope->rules[i].rule == rule) {
            skip += scope->rules[i].path_skip;
            break;
        }
    return skip < w->dir_path.len ? w->dir_path.data + skip : "";
}

/* NULL without memory. */
static const void *arguments_for(struct plan_worker *w, struct olv_scan_entry *entry, uint32_t rule,
                                 const struct olv_step *step)
{
    const struct hooks *hooks = step->act->hooks;
    struct fitting fitting = {.policy = w->planner->policy,
                              .rule = &w->planner->policy->rules[rule],
                              .now = w->planner->options->now,
                              .scratch = w->scratch,
                              .dir = entry->dir_fd,
                              .name = entry->name};
    if (!hooks || !hooks->fit_arguments)
        return step->arguments;
    fitting.clock = judge_clock(&w->judge, entry, rule);
    fitting.below = below_under(w, entry, rule);
    olv_text_clear(&w->scratch[0]);
    olv_text_clear(&w->scratch[1]);
    olv_text_clear(&w->arguments);
    olv_text_add(&w->arguments, step->arguments, step->act->arguments);
    return !w->arguments.failed && hooks->fit_arguments(&fitting, w->arguments.data) ? w->arguments.data
                                                                                     : NULL;
}

static void plan_add_to_docket(struct plan_worker *w, struct olv_scan_entry *entry,
                               const struct olv_step *step, struct olv_verdict v)
{
    const struct whole *whole =
        entry->kind == OLV_KIND_DIRECTORY ? wholes_find(w->planner->wholes, &entry->stat) : NULL;
    struct olv_error err = {0};
    struct olv_docket_entry e = {
        .rule = v.rule,
        .step = v.step + 1,
        .rule_name = w->planner->policy->rules[v.rule].name,
        .act = step->act,
        .identity = olv_identity_of(&entry->stat),
        .directory = w->dir_path.data,
        .at = olv_directory_id_of(&w->dir_stat),
        .name = entry->name,
        .target = "",
        .arguments = arguments_for(w, entry, v.rule, step),
        .due = olv_decider_since(w->planner->judging.decider, v),
        .links = entry->stat.links,
    };
    if (whole && step->act->traits & OLV_EMPTY_ONLY)
        e.is_emptied = true; /* what is in it has entries of its own */
    else if (whole)
        e.contents = whole->contents;
    if (!e.arguments)
        olv_fail_memory(&err);
    if (!e.arguments || !olv_compose_add(&w->composing, &e, &err))
        scan_relay_fail(&w->planner->relay, &err);
}

/* Counts a file, or a directory with what is in it. */
static void plan_count(const struct plan_worker *w, const struct olv_scan_entry *entry,
                       struct olv_tally *tally)
{
    const struct whole *whole;
    if (entry->kind != OLV_KIND_DIRECTORY) {
        tally_count(tally, &entry->stat);
        return;
    }
    whole = wholes_find(w->planner->wholes, &entry->stat);
    if (whole && whole->reason == OLV_DUE &&
        w->planner->policy->rules[whole->rule].steps[whole->step].act->traits & OLV_EMPTY_ONLY)
        whole = NULL; /* what is in it is counted by itself */
    tally_count_whole(tally, &entry->stat, whole ? &whole->contents : NULL);
}

/* True if it is to be done; then the directory's contents need no judging. */
static bool note_due(struct plan_worker *w, struct olv_scan_entry *entry, struct olv_verdict v)
{
    const struct olv_plan_options *options = w->planner->options;
    const struct olv_step *step = &w->planner->policy->rules[v.rule].steps[v.step];
    struct olv_rule_tally *tally = &w->rules[v.rule];
    struct olv_error err = {0};
    enum olv_reason waits;
    if (!plan_know_directory(w, entry, &err)) {
        scan_relay_fail(&w->planner->relay, &err);
        return false;
    }
    if (step->act->traits & OLV_TOUCHES && !(step->act->traits & OLV_SOURCE_STAYS) && is_guarded(w, entry)) {
        plan_count(w, entry, &tally->by_reason[OLV_GUARDED]);
        return false;
    }
    waits = why_it_waits(options, v.rule, step->act, step->may_run_unattended);
    if (waits != OLV_DUE) {
        plan_count(w, entry, &tally->by_reason[waits]);
        return false;
    }
    plan_count(w, entry, &tally->steps[v.step]);
    if (options->selected && !options->selected[v.rule])
        return false;
    plan_count(w, entry, &w->due);
    if (step->act->destination == OLV_TO_TRASH)
        add_mount(w->mounts, &w->mount_count, w->dir_stat.mount);
    if (options->wants_docket)
        plan_add_to_docket(w, entry, step, v);
    return step->act->traits & OLV_TOUCHES && !(step->act->traits & OLV_EMPTY_ONLY);
}

/* ---- the walk ---- */

static bool plan_note(struct plan_worker *w, struct olv_scan_entry *entry, struct olv_verdict v)
{
    struct olv_rule_tally *tally = &w->rules[v.rule];
    if (v.reason == OLV_NOT_OWNED || v.reason == OLV_GONE) {
        w->not_owned += v.reason == OLV_NOT_OWNED;
        return false;
    }
    if (v.reason == OLV_UNDECIDED) {
        tally->by_reason[OLV_UNDECIDED].files++;
        return false;
    }
    if (entry->kind != OLV_KIND_DIRECTORY) /* those were counted with what is in them, once for all of it */
        tally_count(&tally->owned, &entry->stat);
    if (v.reason == OLV_DUE)
        return note_due(w, entry, v);
    plan_count(w, entry, v.reason == OLV_KEPT ? &tally->steps[v.step] : &tally->by_reason[v.reason]);
    return false;
}

/* A directory counts if a rule owns it; its verdict was found beforehand. */
static void visit_directory(struct plan_worker *w, struct olv_scan_entry *entry)
{
    struct judged_directory judged = judge_directory(&w->judge, entry);
    struct olv_verdict v = {.reason = judged.reason, .rule = judged.rule};
    const struct whole *whole;
    if (judged.reason == OLV_NOT_OWNED || judged.reason == OLV_GONE || !olv_scan_look(entry))
        return;
    if (judged.reason == OLV_DUE) {
        whole = wholes_find(w->planner->wholes, &entry->stat);
        v.reason = whole ? whole->reason : OLV_NOT_DUE;
        if (whole) {
            v.step = whole->step;
            v.start = whole->start;
        }
    }
    if (plan_note(w, entry, v))
        entry->data = w; /* who has it in the docket: its contents go along, and are not judged */
}

static void plan_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct planner *p = self;
    struct plan_worker *w = &p->workers[number];
    if (entry->kind != OLV_KIND_DIRECTORY) {
        w->looked_at++;
        plan_note(w, entry, judge_file(&w->judge, entry));
    } else if (p->wholes) {
        visit_directory(w, entry);
    }
}

static bool plan_enter(void *self, unsigned number, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct planner *p = self;
    return !atomic_load(&p->relay.has_failed) && !dir->data &&
           judge_enter(&p->workers[number].judge, dir, stat);
}

static bool plan_begin(struct planner *p, struct olv_error *err)
{
    struct olv_observer observer = scan_relay_observer(&p->relay);
    if (!judging_begin(&p->judging, p->policy, p->options, &observer, err))
        return false;
    p->worker_count = olv_scan_workers();
    p->workers = calloc(p->worker_count, sizeof *p->workers);
    p->plan->rules = tally_rules(p->policy);
    if (!p->workers || !p->plan->rules)
        return olv_fail_memory(err);
    for (unsigned i = 0; i < p->worker_count; i++) {
        struct plan_worker *w = &p->workers[i];
        w->planner = p;
        w->rules = tally_rules(p->policy);
        if (!judge_begin(&w->judge, &p->judging) || !w->rules)
            return olv_fail_memory(err);
    }
    if (p->judging.has_directories && !(p->wholes = wholes_find_all(&p->judging, &observer, err)))
        return false;
    if (p->options->wants_docket)
        p->plan->docket = olv_spool_new(err);
    for (unsigned i = 0; p->plan->docket && i < p->worker_count; i++)
        olv_compose_begin(&p->workers[i].composing, p->plan->docket, NULL);
    return p->plan->docket || !p->options->wants_docket;
}

static void plan_end(struct planner *p)
{
    for (unsigned i = 0; p->workers && i < p->worker_count; i++) {
        struct plan_worker *w = &p->workers[i];
        judge_end(&w->judge);
        olv_compose_abandon(&w->composing);
        olv_text_free(&w->dir_path);
        olv_text_free(&w->arguments);
        olv_text_free(&w->scratch[0]);
        olv_text_free(&w->scratch[1]);
        free(w->rules);
    }
    free(p->workers);
    wholes_free(p->wholes);
    judging_end(&p->judging);
}

static bool plan_walk(struct planner *p, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {
        .self = p, .enter = plan_enter, .visit = plan_visit, .longest_path = OLV_LONGEST_DIRECTORY};
    const struct roots *roots = &p->judging.roots;
    bool ok = scan_relayed(roots->paths, roots->root_count, &visitor, &p->relay, err);
    for (unsigned i = 0; ok && i < p->worker_count; i++) {
        if (p->options->wants_docket)
            ok = olv_compose_end(&p->workers[i].composing, err);
        plan_merge(p, &p->workers[i]);
    }
    for (uint32_t i = 0; ok && p->wholes && i < p->policy->rule_count; i++)
        tally_add(&p->plan->rules[i].owned, wholes_owned(p->wholes, i));
    return ok;
}

bool olv_plan_make(struct olv_plan *plan, const struct olv_policy *policy,
                   const struct olv_plan_options *options, const struct olv_observer *observer,
                   struct olv_error *err)
{
    struct planner p = {.plan = plan, .policy = policy, .options = options, .relay = {.observer = observer}};
    bool ok;
    *plan = (struct olv_plan){.now = options->now, .as_of = options->as_of};
    ok = plan_begin(&p, err) && plan_walk(&p, err) && judging_is_sure(&p.judging, err) &&
         plan_depots(plan, policy, &p.judging, observer, err) &&
         plan_trash(plan, policy, &p.judging, observer, err);
    plan->troubles += p.relay.unreadable;
    plan_end(&p);
    return ok;
}

void olv_plan_free(struct olv_plan *plan)
{
    free(plan->rules);
    olv_spool_free(plan->docket);
    *plan = (struct olv_plan){0};
}
