/* SPDX-License-Identifier: Apache-2.0 */
/* Entry x policy -> verdict: which rule owns a file, which of its steps is due, or why none is. */
#ifndef OLV_JUDGE_DECIDE_H
#define OLV_JUDGE_DECIDE_H

#include "olvido/expr.h"
#include "olvido/policy.h"
#include "olvido/verdict.h"

/* The rules whose `under` a directory lies in or is, in the order of the policy. */
struct olv_scope {
    const struct olv_scope *spared; /* the same below a directory that was recovered a short while ago */
    bool in_respite;                /* whether this is that one */
    uint32_t count;
    struct olv_scope_rule {
        uint32_t rule;
        uint32_t depth;   /* of `under` below the root of the walk */
        size_t path_skip; /* bytes of a path below that root that lead to `under`, with the slash */
    } rules[];
};

struct olv_decider;
/* Binds the policy to an instant. `now` is what the clock says; `as_of` the instant asked about. NULL without
 * memory; the policy must outlive it, and belongs to one decider at a time. */
struct olv_decider *olv_decider_new(const struct olv_policy *policy, struct olv_instant now,
                                    struct olv_instant as_of);
void olv_decider_free(struct olv_decider *decider);

/* `depth` is the subject's below the root of the walk (1: directly in it). */
struct olv_verdict olv_decide(const struct olv_decider *decider, const struct olv_scope *scope,
                              uint32_t depth, struct olv_subject *subject, struct olv_expr_scratch *scratch);

/* The parts of a decision, for explaining one. */

/* Where this rule's count for the subject begins: true with the instant, else false with OLV_GONE,
 * OLV_ODD_TIME or OLV_NO_DATE. */
bool olv_decider_start(const struct olv_decider *decider, uint32_t rule, struct olv_subject *subject,
                       struct olv_instant *start, enum olv_reason *why_not);
/* The time itself that the rule goes by; 0 where there is none. */
struct olv_instant olv_decider_clock(const struct olv_decider *decider, uint32_t rule,
                                     struct olv_subject *subject);
/* When a step's time comes for what is counted from `start`; false beyond the calendar. */
bool olv_decider_step_time(const struct olv_decider *decider, uint32_t rule, uint32_t step,
                           struct olv_instant start, struct olv_instant *out);
/* Whether the rule's statement fits; sets what the subject knows about this rule's `under`. */
enum olv_truth olv_decider_fits(const struct olv_decider *decider, const struct olv_scope_rule *candidate,
                                uint32_t depth, struct olv_subject *subject,
                                struct olv_expr_scratch *scratch);
/* The same as olv_decide for something whose age is not its own: a directory, which is as old as `start`. */
struct olv_verdict olv_decider_judge(const struct olv_decider *decider, uint32_t rule,
                                     struct olv_subject *subject, struct olv_instant start);

#endif
