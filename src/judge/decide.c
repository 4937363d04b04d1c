/* SPDX-License-Identifier: Apache-2.0 */
/* The first rule that fits owns the file; of its steps the latest whose time has come counts. Each step's
 * `after` is converted once into a cutoff with some slack: outside the slack "has come" is one comparison,
 * and within it the calendar decides, so that what is due always agrees with the date shown. */
#include "judge/decide.h"

#include "base/name_date.h"

#include <limits.h>
#include <stdlib.h>

enum {
    FIRST_TRUSTED_S = 86400, /* 1970-01-02: earlier times come from clocks that were never set */
    SLACK_S = 3 * 86400
};

struct bound_rule {
    struct olv_instant rested; /* modified up to here: settled */
    struct olv_instant *cutoffs;
    struct olv_instant *ages; /* of its statement; NULL: it has none */
};

struct olv_decider {
    const struct olv_policy *policy;
    struct olv_instant latest_trusted, as_of;
    struct bound_rule *rules;
};

static bool bind_rule(struct olv_decider *d, size_t rule)
{
    const struct olv_rule *r = &d->policy->rules[rule];
    struct bound_rule *bound = &d->rules[rule];
    bound->rested = olv_zone_cutoff(d->policy->zone, d->as_of, r->settle);
    bound->cutoffs = calloc(r->step_count ? r->step_count : 1, sizeof *bound->cutoffs);
    if (!bound->cutoffs)
        return false;
    for (size_t i = 0; i < r->step_count; i++)
        bound->cutoffs[i] = olv_instant_cutoff(d->as_of, r->steps[i].after);
    if (r->where_expr)
        bound->ages = olv_expr_bind(r->where_expr, d->as_of, d->policy->zone);
    return !r->where_expr || bound->ages;
}

struct olv_decider *olv_decider_new(const struct olv_policy *policy, struct olv_instant now,
                                    struct olv_instant as_of)
{
    struct olv_decider *d = calloc(1, sizeof *d);
    bool ok;
    if (!d)
        return NULL;
    d->policy = policy;
    d->as_of = as_of;
    d->latest_trusted = olv_instant_compare(now, as_of) > 0 ? now : as_of;
    d->rules = calloc(policy->rule_count ? policy->rule_count : 1, sizeof *d->rules);
    ok = d->rules != NULL;
    for (size_t i = 0; ok && i < policy->rule_count; i++)
        ok = bind_rule(d, i);
    if (ok)
        return d;
    olv_decider_free(d);
    return NULL;
}

void olv_decider_free(struct olv_decider *d)
{
    if (!d)
        return;
    for (size_t i = 0; d->rules && i < d->policy->rule_count; i++) {
        free(d->rules[i].cutoffs);
        free(d->rules[i].ages);
    }
    free(d->rules);
    free(d);
}

/* ---- the clock ---- */

static bool decide_read_clock(const struct olv_decider *d, const struct olv_rule *rule,
                              struct olv_subject *subject, struct olv_instant *out)
{
    const struct olv_stat *stat = subject->stat;
    struct olv_date date;
    switch (rule->clock) {
    case OLV_CLOCK_NAME:
        if (!olv_name_date_read(rule->name_date, subject->name, subject->name_len, &date))
            return false;
        *out = (struct olv_instant){olv_zone_seconds(d->policy->zone, date), 0};
        return true;
    case OLV_CLOCK_ACCESSED:
        *out = stat->accessed;
        return true;
    case OLV_CLOCK_CHANGED:
        *out = subject->facts->changed ? subject->facts->changed(subject) : stat->changed;
        return true;
    case OLV_CLOCK_BORN:
        *out = stat->born; /* 0, and so not trusted, if there is none */
        return true;
    default:
        *out = stat->modified;
        return true;
    }
}

bool olv_decider_start(const struct olv_decider *d, uint32_t rule, struct olv_subject *subject,
                       struct olv_instant *start, enum olv_reason *why_not)
{
    const struct olv_rule *r = &d->policy->rules[rule];
    if (!subject->stat && !subject->facts->look(subject)) {
        *why_not = OLV_GONE;
        return false;
    }
    if (!decide_read_clock(d, r, subject, start)) {
        *why_not = OLV_NO_DATE;
        return false;
    }
    if (start->s <= FIRST_TRUSTED_S || olv_instant_compare(*start, d->latest_trusted) > 0) {
        *why_not = OLV_ODD_TIME;
        return false;
    }
    if (r->until != OLV_PERIOD_NONE)
        *start = olv_zone_end(d->policy->zone, *start, r->until);
    return true;
}

struct olv_instant olv_decider_clock(const struct olv_decider *d, uint32_t rule, struct olv_subject *subject)
{
    struct olv_instant t = {0};
    if (subject->stat || subject->facts->look(subject))
        decide_read_clock(d, &d->policy->rules[rule], subject, &t);
    return t;
}

/* ---- the step ---- */

bool olv_decider_step_time(const struct olv_decider *d, uint32_t rule, uint32_t step,
                           struct olv_instant start, struct olv_instant *out)
{
    return olv_zone_add(d->policy->zone, start, d->policy->rules[rule].steps[step].after, out);
}

static bool has_come(const struct olv_decider *d, uint32_t rule, uint32_t step, struct olv_instant start)
{
    struct olv_instant cutoff = d->rules[rule].cutoffs[step], due;
    if (cutoff.s == INT64_MIN || start.s > cutoff.s + SLACK_S)
        return false;
    if (start.s < cutoff.s - SLACK_S)
        return true;
    return olv_decider_step_time(d, rule, step, start, &due) && olv_instant_compare(due, d->as_of) <= 0;
}

/* What spares a file whose time has come. Acts that touch nothing spare nothing. */
static enum olv_reason decide_spare(const struct olv_decider *d, uint32_t rule, const struct olv_step *step,
                                    struct olv_subject *subject)
{
    const struct olv_rule *r = &d->policy->rules[rule];
    const struct olv_act *act = step->act;
    const struct olv_subject_facts *facts = subject->facts;
    if (act->traits & OLV_KEEPS)
        return OLV_KEPT;
    if (olv_instant_compare(subject->stat->modified, d->rules[rule].rested) > 0)
        return OLV_SETTLING;
    if (!(act->traits & OLV_TOUCHES))
        return OLV_DUE;
    if (act->lengthens && subject->name_len + act->lengthens(step->arguments) > NAME_MAX)
        return OLV_LONG_NAME;
    if (facts->is_held && facts->is_held(subject) != OLV_NO)
        return OLV_HELD;
    if (facts->in_respite && facts->in_respite(subject))
        return OLV_RESPITE;
    if (!r->open_too && (!act->minds_writers || act->minds_writers(step->arguments)) && facts->is_in_use &&
        facts->is_in_use(subject))
        return OLV_OPEN;
    return OLV_DUE;
}

/* Only steps that the file survives leave a trace. */
static bool has_had(const struct olv_rule *r, size_t step, struct olv_subject *subject)
{
    return subject->facts->has_had && r->steps[step].act->traits & OLV_OUTLIVED &&
           subject->facts->has_had(subject, &r->steps[step]);
}

/* Whether this step or a later one was done. */
static bool decide_has_had(const struct olv_rule *r, size_t step, struct olv_subject *subject)
{
    for (; step < r->step_count; step++)
        if (has_had(r, step, subject))
            return true;
    return false;
}

struct olv_verdict olv_decider_judge(const struct olv_decider *d, uint32_t rule, struct olv_subject *subject,
                                     struct olv_instant start)
{
    const struct olv_rule *r = &d->policy->rules[rule];
    struct olv_verdict v = {.rule = rule, .reason = OLV_NOT_DUE, .start = start};
    size_t step = r->step_count;
    while (step > 0 && !has_come(d, rule, (uint32_t)step - 1, start))
        step--;
    if (step == 0)
        return v;
    v.step = (uint32_t)step - 1;
    v.reason =
        decide_has_had(r, v.step, subject) ? OLV_HAD : decide_spare(d, rule, &r->steps[v.step], subject);
    for (uint32_t i = 0; i < v.step; i++) /* one that was missed lapses, but not such a one */
        if (r->steps[i].act->traits & OLV_NEVER_LAPSES && !has_had(r, i, subject)) {
            v.step = i;
            v.reason = decide_spare(d, rule, &r->steps[i], subject);
        }
    return v;
}

struct olv_instant olv_decider_since(const struct olv_decider *d, struct olv_verdict v)
{
    struct olv_instant since;
    return olv_decider_step_time(d, v.rule, v.step, v.start, &since) ? since : d->as_of;
}

/* ---- the rule ---- */

enum olv_truth olv_decider_fits(const struct olv_decider *d, const struct olv_scope_rule *candidate,
                                uint32_t depth, struct olv_subject *subject, struct olv_expr_scratch *scratch)
{
    const struct olv_rule *rule = &d->policy->rules[candidate->rule];
    subject->depth = depth - candidate->depth;
    subject->path_skip = candidate->path_skip;
    if (rule->where_expr)
        return olv_expr_test(rule->where_expr, d->rules[candidate->rule].ages, subject, scratch);
    return subject->kind == OLV_KIND_FILE ? OLV_YES : OLV_NO;
}

struct olv_verdict olv_decide(const struct olv_decider *d, const struct olv_scope *scope, uint32_t depth,
                              struct olv_subject *subject, struct olv_expr_scratch *scratch)
{
    for (uint32_t i = 0; i < scope->count; i++) {
        const struct olv_scope_rule *candidate = &scope->rules[i];
        enum olv_truth answer = olv_decider_fits(d, candidate, depth, subject, scratch);
        struct olv_instant start;
        struct olv_verdict v;
        if (answer == OLV_NO)
            continue;
        v = (struct olv_verdict){.rule = candidate->rule};
        if (answer == OLV_UNKNOWN)
            v.reason = subject->stat || subject->facts->look(subject) ? OLV_UNDECIDED : OLV_GONE;
        else if (olv_decider_start(d, candidate->rule, subject, &start, &v.reason))
            return olv_decider_judge(d, candidate->rule, subject, start);
        return v;
    }
    return (struct olv_verdict){.reason = OLV_NOT_OWNED};
}
