/* SPDX-License-Identifier: Apache-2.0 */
/* Entry x policy -> verdict: which rule owns a file, and which of its steps is due, or why none is. */
#ifndef OLV_JUDGE_DECIDE_H
#define OLV_JUDGE_DECIDE_H

#include "olvido/expr.h"
#include "olvido/policy.h"
#include "olvido/verdict.h"

/* The rules whose `under` contains or is a directory, in policy order. */
struct olv_scope {
    const struct olv_scope *spared; /* the same below a recently recovered directory */
    bool in_respite;                /* whether this is that one */
    uint32_t count;
    struct olv_scope_rule {
        uint32_t rule;
        uint32_t depth;   /* depth of `under` below the root of the walk */
        size_t path_skip; /* length of the part of such a path that leads to `under`, with the slash */
    } rules[];
};

struct olv_decider;
/* Binds the policy to an instant. `now` is the present; `as_of` the instant asked about. NULL without memory.
 * The policy must outlive it, and belongs to one decider at a time. */
struct olv_decider *olv_decider_new(const struct olv_policy *policy, struct olv_instant now,
                                    struct olv_instant as_of);
void olv_decider_free(struct olv_decider *decider);

/* `depth` is the subject's depth below the root of the walk (1: directly in it). */
struct olv_verdict olv_decide(const struct olv_decider *decider, const struct olv_scope *scope,
                              uint32_t depth, struct olv_subject *subject, struct olv_expr_scratch *scratch);

/* The parts of a decision, for explaining one. */

/* Where this rule starts counting for the subject: true with the instant, or false with OLV_GONE,
 * OLV_ODD_TIME or OLV_NO_DATE. */
bool olv_decider_start(const struct olv_decider *decider, uint32_t rule, struct olv_subject *subject,
                       struct olv_instant *start, enum olv_reason *why_not);
/* The time by the rule's clock; 0 if there is none. */
struct olv_instant olv_decider_clock(const struct olv_decider *decider, uint32_t rule,
                                     struct olv_subject *subject);
/* When a step is due for a count that begins at `start`; false if beyond the calendar. */
bool olv_decider_step_time(const struct olv_decider *decider, uint32_t rule, uint32_t step,
                           struct olv_instant start, struct olv_instant *out);
/* When the step of a verdict was due. */
struct olv_instant olv_decider_since(const struct olv_decider *decider, struct olv_verdict verdict);
/* Whether the rule's statement fits; sets what the subject knows about this rule's `under`. */
enum olv_truth olv_decider_fits(const struct olv_decider *decider, const struct olv_scope_rule *candidate,
                                uint32_t depth, struct olv_subject *subject,
                                struct olv_expr_scratch *scratch);
/* Like olv_decide, for something that has no age of its own: a directory, which is as old as `start`. */
struct olv_verdict olv_decider_judge(const struct olv_decider *decider, uint32_t rule,
                                     struct olv_subject *subject, struct olv_instant start);

#endif
