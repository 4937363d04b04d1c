/* SPDX-License-Identifier: Apache-2.0 */
/* What lies in trashes: what a rule discarded goes on ageing there, by its original path, and a later step of
 * the rule that owns it now ends it; beside that the policy's `trash` ends what Olvido discarded, whichever
 * comes first. */
#include "engine/plan_parts.h"

#include "file/identity.h"
#include "judge/stored.h"
#include "judge/tally.h"
#include "olvido/items.h"

enum olv_reason why_it_waits(const struct olv_plan_options *options, size_t rule, const struct olv_act *act,
                             bool may_run_unattended)
{
    if (!options->is_unattended || !(act->traits & OLV_TOUCHES))
        return OLV_DUE;
    if (!may_run_unattended)
        return OLV_WAITING;
    if (!(act->traits & OLV_FINAL))
        return OLV_DUE;
    if (options->in_notice && options->in_notice[rule])
        return OLV_NOTICE;
    return options->is_clock_off ? OLV_CLOCK_OFF : OLV_DUE;
}

struct trash_planner {
    struct olv_plan *plan;
    const struct olv_policy *policy;
    const struct judging *judging;
    const struct olv_observer *observer;
    struct stored_judge judge;
    struct olv_composing composing;
    struct olv_trash *trash; /* the one in progress */
    struct olv_error error;
};

/* ---- steps of rules ---- */

/* Whether a rule discarded it and one owns it now; then `v` has the verdict. What cannot be looked at is not
 * due. */
static bool is_judged(struct trash_planner *p, struct olv_trash *trash, const struct olv_trash_item *item,
                      struct olv_verdict *v)
{
    struct olv_stored_file file;
    struct stored_subject s;
    struct olv_error why = {0};
    if (!*item->rule || item->state != OLV_TRASH_SOUND)
        return false;
    if (!stored_item_begin(&s, &p->judge, trash, item, &file, &why)) {
        if (why.code == OLV_MEMORY)
            p->error = why;
        else
            olv_observe_unreadable(p->observer, item->path, why.what, why.sys);
        return false;
    }
    *v = olv_decide(p->judging->decider, p->judge.scope, s.depth, &s.subject, p->judge.scratch);
    v->reason = stored_reason(p->policy, v);
    return v->reason != OLV_NOT_OWNED && v->reason != OLV_UNDECIDED;
}

static bool is_selected(const struct trash_planner *p, size_t rule)
{
    const bool *selected = p->judging->options->selected;
    return !selected || selected[rule];
}

static bool add_to_docket(struct trash_planner *p, const struct olv_trash_item *item, struct olv_verdict v)
{
    const struct olv_step *step = &p->policy->rules[v.rule].steps[v.step];
    struct olv_docket_entry e = {.rule = v.rule,
                                 .step = v.step + 1,
                                 .rule_name = p->policy->rules[v.rule].name,
                                 .act = step->act,
                                 .arguments = step->arguments,
                                 .place = OLV_IN_TRASH,
                                 .due = olv_decider_since(p->judging->decider, v),
                                 .identity = olv_identity_of(&item->stat),
                                 .links = item->stat.links,
                                 .contents = {.files = item->files, .bytes = item->size_bytes},
                                 .directory = olv_trash_files_path(p->trash),
                                 .at = olv_trash_files_identity(p->trash),
                                 .name = item->name,
                                 .target = item->path};
    return olv_compose_add(&p->composing, &e, &p->error);
}

static void count(struct olv_tally *tally, const struct olv_trash_item *item)
{
    const struct olv_contents contents = {.files = item->files, .bytes = item->size_bytes};
    if (item->stat.kind == OLV_KIND_DIRECTORY)
        tally_count_whole(tally, &item->stat, &contents);
    else
        tally_count(tally, &item->stat);
}

/* OLV_DUE if a step ends it in this run, or what it waits for. */
static enum olv_reason due_by_rule(const struct trash_planner *p, struct olv_verdict v)
{
    const struct olv_step *step = &p->policy->rules[v.rule].steps[v.step];
    return v.reason != OLV_DUE
               ? v.reason
               : why_it_waits(p->judging->options, v.rule, step->act, step->may_run_unattended);
}

static bool plan_item(void *self, const struct olv_trash_item *item)
{
    struct trash_planner *p = self;
    struct olv_rule_tally *tally;
    struct olv_verdict v;
    enum olv_reason reason;
    if (olv_observe_interrupted(p->observer))
        return olv_fail(&p->error, OLV_INTERRUPTED, "interrupted");
    if (!is_judged(p, p->trash, item, &v))
        return p->error.code == OLV_OK;
    tally = &p->plan->rules[v.rule];
    count(&tally->owned, item);
    reason = due_by_rule(p, v);
    if (reason == OLV_STORED || reason == OLV_KEPT)
        return true; /* it lies there, and nothing is due */
    count(reason == OLV_DUE ? &tally->steps[v.step] : &tally->by_reason[reason], item);
    if (reason != OLV_DUE || !is_selected(p, v.rule))
        return true;
    count(&p->plan->due, item);
    return !p->judging->options->wants_docket || add_to_docket(p, item, v);
}

static bool plan_items(struct trash_planner *p, struct olv_error *err)
{
    struct olv_trashes *trashes = p->judging->options->trashes;
    bool ok = true;
    olv_compose_begin(&p->composing, p->plan->docket, NULL);
    for (size_t i = 0; ok && i < olv_trashes_count(trashes); i++) {
        p->trash = olv_trashes_at(trashes, i);
        ok = olv_trash_each(p->trash, plan_item, p, err) && p->error.code == OLV_OK;
    }
    if (p->error.code != OLV_OK)
        *err = p->error;
    ok = ok && (!p->plan->docket || olv_compose_end(&p->composing, err));
    olv_compose_abandon(&p->composing);
    return ok;
}

/* ---- the policy's `trash` ---- */

/* What a step ends in this run has an entry already. */
static bool is_ended_by_rule(void *self, struct olv_trash *trash, const struct olv_trash_item *item)
{
    struct trash_planner *p = self;
    struct olv_verdict v;
    return is_judged(p, trash, item, &v) && due_by_rule(p, v) == OLV_DUE && is_selected(p, v.rule);
}

static void plan_trash_count(void *self, const struct olv_found_item *found)
{
    struct olv_plan *plan = self;
    struct olv_stat stat = {.size_bytes = found->size_bytes, .modified = found->deleted};
    tally_count(&plan->trash, &stat);
    plan->trash_directories += found->kind == OLV_KIND_DIRECTORY;
    plan->trash_files += found->files;
}

static bool plan_keep(struct trash_planner *p, struct olv_error *err)
{
    struct olv_plan *plan = p->plan;
    const struct olv_policy *policy = p->policy;
    const struct olv_plan_options *options = p->judging->options;
    struct olv_item_query query = {.only_ours = true,
                                   .has_until = true,
                                   .skips = is_ended_by_rule,
                                   .skipping = p,
                                   .act = olv_act_named("clear"),
                                   .rule = OLV_OF_TRASH,
                                   .rule_name = "trash"};
    struct olv_spool *docket;
    plan->trash_reason = why_it_waits(options, policy->rule_count, query.act, policy->trash_unattended);
    query.until = olv_zone_cutoff(policy->zone, options->as_of, policy->trash_keep);
    query.until.s++; /* the bound is exclusive, but "at least that old" is due; trashes know whole seconds */
    docket = plan->trash_reason == OLV_DUE ? plan->docket : NULL;
    if (!olv_items_find(options->trashes, &query, docket, plan_trash_count, plan, err))
        return false;
    if (p->error.code != OLV_OK) {
        *err = p->error;
        return false;
    }
    if (plan->trash_reason == OLV_DUE) {
        struct olv_tally due = plan->trash;
        due.files = plan->trash_files;
        due.directories = plan->trash_directories;
        tally_add(&plan->due, &due);
    }
    return true;
}

bool plan_trash(struct olv_plan *plan, const struct olv_policy *policy, const struct judging *judging,
                const struct olv_observer *observer, struct olv_error *err)
{
    struct trash_planner p = {.plan = plan, .policy = policy, .judging = judging, .observer = observer};
    bool ok;
    if (!judging->options->trashes)
        return true;
    ok = stored_judge_begin(&p.judge, policy, judging) || olv_fail_memory(err);
    ok = ok && plan_items(&p, err) &&
         (!policy->has_trash_keep || judging->options->selected || plan_keep(&p, err));
    stored_judge_end(&p.judge);
    return ok;
}
