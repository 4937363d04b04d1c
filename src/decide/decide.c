/* SPDX-License-Identifier: Apache-2.0 */
/* The first rule that fits owns the file; of its steps the latest whose time has come counts. Each step's
 * `after` is turned into a cutoff once: "due" is then one comparison, calendar months included. */
#include "decide/decide.h"

#include <stdlib.h>

enum {
    SETTLE_S = 600,
    FIRST_TRUSTED_S = 86400 /* 1970-01-02: earlier times are those of clocks that were never set */
};

struct olv_decider {
    const struct olv_policy *policy;
    struct olv_instant latest_trusted, settled;
    struct olv_instant **cutoffs; /* for each rule, for each of its steps */
};

static bool bind_rule(struct olv_decider *d, size_t rule, struct olv_instant as_of)
{
    const struct olv_rule *r = &d->policy->rules[rule];
    d->cutoffs[rule] = calloc(r->step_count ? r->step_count : 1, sizeof **d->cutoffs);
    if (!d->cutoffs[rule])
        return false;
    for (size_t i = 0; i < r->step_count; i++)
        d->cutoffs[rule][i] = olv_instant_cutoff(as_of, r->steps[i].after);
    if (r->where_expr)
        olv_expr_bind(r->where_expr, as_of);
    return true;
}

struct olv_decider *olv_decider_new(const struct olv_policy *policy, struct olv_instant now,
                                    struct olv_instant as_of)
{
    struct olv_decider *d = calloc(1, sizeof *d);
    bool ok;
    if (!d)
        return NULL;
    d->policy = policy;
    d->latest_trusted = olv_instant_compare(now, as_of) > 0 ? now : as_of;
    d->settled = (struct olv_instant){as_of.s - SETTLE_S, as_of.ns};
    d->cutoffs = calloc(policy->rule_count, sizeof *d->cutoffs);
    ok = d->cutoffs != NULL;
    for (size_t i = 0; ok && i < policy->rule_count; i++)
        ok = bind_rule(d, i, as_of);
    if (ok)
        return d;
    olv_decider_free(d);
    return NULL;
}

void olv_decider_free(struct olv_decider *d)
{
    if (!d)
        return;
    for (size_t i = 0; d->cutoffs && i < d->policy->rule_count; i++)
        free(d->cutoffs[i]);
    free(d->cutoffs);
    free(d);
}

static enum olv_truth fits(const struct olv_rule *rule, struct olv_subject *subject,
                           struct olv_expr_scratch *scratch)
{
    if (rule->where_expr)
        return olv_expr_test(rule->where_expr, subject, scratch);
    return subject->kind == OLV_KIND_FILE ? OLV_YES : OLV_NO;
}

static struct olv_verdict judge(const struct olv_decider *d, uint32_t rule, struct olv_subject *subject)
{
    const struct olv_rule *r = &d->policy->rules[rule];
    const struct olv_stat *stat = subject->stat ? subject->stat : subject->facts->look(subject);
    struct olv_verdict v = {.rule = rule, .reason = OLV_NOT_DUE};
    size_t step;
    if (!stat)
        v.reason = OLV_GONE;
    else if (stat->modified.s <= FIRST_TRUSTED_S ||
             olv_instant_compare(stat->modified, d->latest_trusted) > 0)
        v.reason = OLV_ODD_TIME;
    if (v.reason != OLV_NOT_DUE)
        return v;
    for (step = r->step_count; step > 0; step--)
        if (olv_instant_compare(stat->modified, d->cutoffs[rule][step - 1]) <= 0)
            break;
    if (step == 0)
        return v;
    v.step = (uint32_t)step - 1;
    if (r->steps[v.step].act == OLV_ACT_KEEP)
        v.reason = OLV_KEPT;
    else
        v.reason = olv_instant_compare(stat->modified, d->settled) > 0 ? OLV_SETTLING : OLV_DUE;
    return v;
}

static bool exists(struct olv_subject *subject)
{
    return subject->stat || subject->facts->look(subject);
}

struct olv_verdict olv_decide(const struct olv_decider *d, const struct olv_scope *scope, uint32_t depth,
                              struct olv_subject *subject, struct olv_expr_scratch *scratch)
{
    for (uint32_t i = 0; i < scope->count; i++) {
        const struct olv_scope_rule *candidate = &scope->rules[i];
        enum olv_truth answer;
        subject->depth = depth - candidate->depth;
        subject->path_skip = candidate->path_skip;
        answer = fits(&d->policy->rules[candidate->rule], subject, scratch);
        if (answer == OLV_YES)
            return judge(d, candidate->rule, subject);
        if (answer == OLV_UNKNOWN)
            return (struct olv_verdict){.reason = exists(subject) ? OLV_UNDECIDED : OLV_GONE,
                                        .rule = candidate->rule};
    }
    return (struct olv_verdict){.reason = OLV_NOT_OWNED};
}
