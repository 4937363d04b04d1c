/* SPDX-License-Identifier: Apache-2.0 */
/* Rule by rule, then the policy's `trash`. A limit stops a rule as a whole before its first file, so that a
 * mistake in it is noticed. */
#include "olvido/permission.h"

#include "judge/tally.h"

#include <stdlib.h>

bool olv_needs_count(uint64_t files, uint64_t directories)
{
    return files >= OLV_COUNTED_FROM || directories > 0;
}

enum olv_ending_permission olv_permission_to_end(const struct olv_allowance *a, uint64_t files,
                                                 uint64_t directories, uint64_t all)
{
    bool needs_count = olv_needs_count(files, directories);
    if (a->is_unattended || (a->has_count ? a->count == all : a->says_yes && !needs_count))
        return OLV_ENDING_ALLOWED;
    if (a->has_count || !a->can_ask)
        return OLV_ENDING_REFUSED;
    return needs_count ? OLV_ENDING_ASKS_COUNT : OLV_ENDING_ASKS;
}

/* ---- limits ---- */

/* The due files of all steps with one of these traits, and with none of those in `but`. */
static struct olv_tally sum_but(const struct olv_rule *rule, const struct olv_rule_tally *tally,
                                unsigned traits, unsigned but)
{
    struct olv_tally sum = {0};
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_tally *due = &tally->steps[i];
        unsigned of = rule->steps[i].act->traits;
        if (of & traits && !(of & but))
            tally_add(&sum, due);
    }
    return sum;
}

static struct olv_tally sum_of(const struct olv_rule *rule, const struct olv_rule_tally *tally,
                               unsigned traits)
{
    return sum_but(rule, tally, traits, 0);
}

static uint64_t size_of(struct olv_tally tally)
{
    return tally.files + tally.directories;
}

static enum olv_limit limit_of(const struct olv_limits *limits, struct olv_spent spent,
                               const struct olv_tally *due, uint64_t owned)
{
    if (olv_tally_is_empty(due))
        return OLV_LIMIT_NONE;
    if (limits->has_files && (spent.files > limits->files || due->files > limits->files - spent.files))
        return OLV_LIMIT_FILES;
    if (limits->has_bytes && (spent.bytes > limits->bytes || due->bytes > limits->bytes - spent.bytes))
        return OLV_LIMIT_BYTES;
    if (limits->has_share && owned >= OLV_SHARE_FROM_FILES &&
        (double)due->files * 1000000.0 > (double)owned * (double)limits->share_millionths)
        return OLV_LIMIT_SHARE;
    return OLV_LIMIT_NONE;
}

struct olv_excess olv_excess_of(const struct olv_policy *policy, size_t rule,
                                const struct olv_rule_tally *tally, struct olv_spent spent,
                                struct olv_tally *due)
{
    const struct olv_rule *r = &policy->rules[rule];
    uint64_t owned = tally->owned.files, swept = sum_of(r, tally, OLV_EMPTY_ONLY).directories;
    *due = sum_of(r, tally, OLV_LIMITED);
    due->files += swept; /* of what is swept the directories count, for there is nothing else */
    owned += swept ? tally->owned.directories : 0;
    return (struct olv_excess){limit_of(&policy->limits, spent, due, owned), due->files, owned};
}

/* ---- permission ---- */

struct permitted {
    enum olv_answer answer;   /* for what can be taken back */
    enum olv_answer ending;   /* for what ends for good */
    bool is_passed_over;      /* nobody could be asked */
    bool is_refused;          /* as a whole */
    struct olv_excess excess; /* then */
};

struct olv_permission {
    const struct olv_policy *policy;
    const struct olv_plan *plan;
    const bool *selected;
    struct olv_allowance allowance;
    struct olv_spent spent;
    size_t at; /* the current rule; the number of rules: the trash; beyond: the end */
    enum { AT_STEPS, AT_ENDING } stage; /* of it */
    bool is_stopped;
    uint64_t final_files; /* of everything that cannot be taken back */
    struct olv_unpermitted lacks;
    struct permitted of[]; /* each rule, and the trash */
};

static bool is_selected(const struct olv_permission *p, size_t rule)
{
    return !p->selected || p->selected[rule];
}

static struct olv_tally tally_of(const struct olv_permission *p, size_t rule, unsigned traits)
{
    return is_selected(p, rule) ? sum_of(&p->policy->rules[rule], &p->plan->rules[rule], traits)
                                : (struct olv_tally){0};
}

struct olv_permission *olv_permission_new(const struct olv_policy *policy, const struct olv_plan *plan,
                                          const bool *selected, const struct olv_allowance *allowance)
{
    struct olv_permission *p = calloc(1, sizeof *p + (policy->rule_count + 1) * sizeof *p->of);
    if (!p)
        return NULL;
    p->policy = policy;
    p->plan = plan;
    p->selected = selected;
    p->allowance = *allowance;
    p->final_files = plan->trash_reason == OLV_DUE ? plan->trash.files : 0;
    for (size_t i = 0; i < policy->rule_count; i++)
        p->final_files += tally_of(p, i, OLV_FINAL).files;
    return p;
}

void olv_permission_free(struct olv_permission *p)
{
    free(p);
}

static bool is_count_right(const struct olv_permission *p)
{
    return p->allowance.count == p->final_files;
}

static bool is_declined(const struct permitted *of)
{
    return of->answer == OLV_ANSWER_NO && of->ending == OLV_ANSWER_NO;
}

/* A rule has its answers: what it takes counts against the limits. */
static void leave_rule(struct olv_permission *p)
{
    struct olv_tally due;
    if (!is_declined(&p->of[p->at]) && is_selected(p, p->at)) {
        olv_excess_of(p->policy, p->at, &p->plan->rules[p->at], p->spent, &due);
        p->spent.files += due.files;
        p->spent.bytes += due.bytes;
    }
    p->stage = AT_STEPS;
    p->at++;
}

static struct olv_excess excess_of(const struct olv_permission *p)
{
    struct olv_tally due;
    return is_selected(p, p->at) ? olv_excess_of(p->policy, p->at, &p->plan->rules[p->at], p->spent, &due)
                                 : (struct olv_excess){0};
}

/* Whether the rule does both: what can be taken back and what ends for good. */
static bool does_both(const struct olv_permission *p)
{
    const struct olv_rule *rule = &p->policy->rules[p->at];
    struct olv_tally ends = tally_of(p, p->at, OLV_FINAL),
                     kept = sum_but(rule, &p->plan->rules[p->at], OLV_TOUCHES, OLV_FINAL);
    return !olv_tally_is_empty(&ends) && !olv_tally_is_empty(&kept);
}

static bool is_said(const struct olv_permission *p)
{
    return p->allowance.says_yes || p->allowance.is_unattended;
}

/* Whether somebody has to be asked about what the rule ends for good: for its count, or whether it may at all
 * where that was no part of the question before. */
static bool ask_rule_ending(struct olv_permission *p, struct olv_question *q)
{
    struct permitted *of = &p->of[p->at];
    struct olv_tally due = tally_of(p, p->at, OLV_FINAL);
    bool is_apart = does_both(p), needs_count = olv_needs_count(due.files, due.directories);
    enum olv_answer before = is_apart ? OLV_ANSWER_YES : of->answer;
    if (olv_tally_is_empty(&due) || of->is_refused || of->is_passed_over || before == OLV_ANSWER_NO)
        return false;
    if (p->allowance.is_unattended || (p->allowance.has_count && is_count_right(p))) {
        of->ending = before;
    } else if (!p->allowance.has_count && !needs_count && (!is_apart || is_said(p))) {
        of->ending = before;
    } else if (!p->allowance.has_count && p->allowance.can_ask) {
        *q = (struct olv_question){.kind = needs_count ? OLV_ASKS_RULE_COUNT : OLV_ASKS_RULE_ENDING,
                                   .rule = p->at,
                                   .excess = excess_of(p),
                                   .files = due.files,
                                   .directories = due.directories,
                                   .bytes = due.bytes};
        return true;
    } else {
        p->lacks.not_counted += size_of(due);
    }
    return false;
}

/* Whether somebody has to be asked about the rule's steps: about those that can be taken back, if it has
 * such, else about all. */
static bool ask_rule(struct olv_permission *p, struct olv_question *q)
{
    struct permitted *of = &p->of[p->at];
    struct olv_tally touched = tally_of(p, p->at, OLV_TOUCHES);
    bool may_exceed = p->allowance.over_limit && p->allowance.over_limit[p->at];
    struct olv_excess excess = excess_of(p);
    if (olv_tally_is_empty(&touched) || (is_said(p) && (excess.limit == OLV_LIMIT_NONE || may_exceed))) {
        of->answer = OLV_ANSWER_YES;
    } else if (p->allowance.can_ask) {
        *q = (struct olv_question){
            .kind = OLV_ASKS_RULE, .rule = p->at, .excess = excess, .is_apart = does_both(p)};
        return true;
    } else if (is_said(p)) {
        of->is_refused = true;
        of->excess = excess;
        p->lacks.over_limit += size_of(touched);
    } else {
        of->is_passed_over = true;
        p->lacks.not_asked += size_of(touched);
    }
    return false;
}

/* Whether somebody has to be asked. */
static bool ask_trash(struct olv_permission *p, struct olv_question *q)
{
    const struct olv_tally *due = &p->plan->trash;
    enum olv_ending_permission permission;
    if (due->files == 0 || p->plan->trash_reason != OLV_DUE)
        return false;
    permission = olv_permission_to_end(&p->allowance, due->files, p->plan->trash_directories, p->final_files);
    if (permission == OLV_ENDING_ASKS || permission == OLV_ENDING_ASKS_COUNT) {
        *q = (struct olv_question){.kind =
                                       permission == OLV_ENDING_ASKS ? OLV_ASKS_TRASH : OLV_ASKS_TRASH_COUNT,
                                   .rule = p->at,
                                   .files = due->files,
                                   .directories = p->plan->trash_directories,
                                   .inside = p->plan->trash_files,
                                   .bytes = due->bytes};
        return true;
    }
    if (permission == OLV_ENDING_REFUSED && !p->allowance.has_count)
        p->lacks.trash_items = due->files;
    p->of[p->at].answer = permission == OLV_ENDING_ALLOWED ? OLV_ANSWER_YES : OLV_ANSWER_NO;
    return false;
}

bool olv_permission_next(struct olv_permission *p, struct olv_question *q)
{
    for (; !p->is_stopped && p->at < p->policy->rule_count; leave_rule(p)) {
        if (p->stage == AT_STEPS && ask_rule(p, q))
            return true;
        p->stage = AT_ENDING;
        if (ask_rule_ending(p, q))
            return true;
    }
    if (p->is_stopped || p->at > p->policy->rule_count)
        return false;
    if (ask_trash(p, q))
        return true;
    p->at++;
    return false;
}

void olv_permission_answer(struct olv_permission *p, enum olv_answer answer)
{
    struct permitted *of = &p->of[p->at];
    p->is_stopped |= answer == OLV_ANSWER_STOP;
    if (p->at == p->policy->rule_count) {
        of->answer = answer;
        p->at++;
    } else if (p->stage == AT_STEPS) {
        of->answer = answer == OLV_ANSWER_STOP ? OLV_ANSWER_NO : answer;
        p->stage = AT_ENDING;
    } else {
        struct olv_tally due = tally_of(p, p->at, OLV_FINAL);
        of->ending = answer == OLV_ANSWER_STOP ? OLV_ANSWER_NO : answer;
        if (answer == OLV_ANSWER_NO && olv_needs_count(due.files, due.directories))
            p->lacks.not_counted += size_of(due);
        if (answer == OLV_ANSWER_YES && !does_both(p))
            of->ending = of->answer; /* each, if that was said before */
        leave_rule(p);
    }
}

/* ---- single entries ---- */

static size_t rule_of(const struct olv_permission *p, const struct olv_docket_entry *e)
{
    return e->rule == OLV_OF_TRASH ? p->policy->rule_count : e->rule;
}

static const enum olv_answer *answer_about(const struct permitted *of, const struct olv_docket_entry *e)
{
    return e->rule != OLV_OF_TRASH && e->act->traits & OLV_FINAL ? &of->ending : &of->answer;
}

enum olv_answer olv_permission_of(const struct olv_permission *p, const struct olv_docket_entry *e)
{
    if (!(e->act->traits & OLV_TOUCHES))
        return OLV_ANSWER_YES;
    if (p->is_stopped)
        return OLV_ANSWER_NO;
    return *answer_about(&p->of[rule_of(p, e)], e);
}

void olv_permission_rest(struct olv_permission *p, const struct olv_docket_entry *e)
{
    struct permitted *of = &p->of[rule_of(p, e)];
    if (answer_about(of, e) == &of->ending)
        of->ending = OLV_ANSWER_YES;
    else
        of->answer = OLV_ANSWER_YES;
}

void olv_permission_stop(struct olv_permission *p)
{
    p->is_stopped = true;
}

struct olv_unpermitted olv_permission_lacks(const struct olv_permission *p)
{
    struct olv_unpermitted lacks = p->lacks;
    lacks.count = p->final_files;
    return lacks;
}

bool olv_permission_refused(const struct olv_permission *p, size_t rule, struct olv_excess *out,
                            uint64_t *files)
{
    *out = p->of[rule].excess;
    *files = tally_of(p, rule, OLV_TOUCHES).files;
    return p->of[rule].is_refused;
}
