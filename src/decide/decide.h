/* SPDX-License-Identifier: Apache-2.0 */
/* Entry x policy -> verdict: which rule owns a file, which of its steps is due, or why none is. */
#ifndef OLV_DECIDE_DECIDE_H
#define OLV_DECIDE_DECIDE_H

#include "olvido/expr.h"
#include "olvido/policy.h"

enum olv_reason {
    OLV_DUE,
    OLV_KEPT,      /* the latest step whose time has come is `keep` */
    OLV_NOT_DUE,   /* too young for every step */
    OLV_SETTLING,  /* due, but modified within the last ten minutes */
    OLV_ODD_TIME,  /* its time is in the future, or at or before 1970-01-02 */
    OLV_UNDECIDED, /* a statement could not be decided, so neither this rule nor a later one takes it */
    OLV_GONE,      /* it vanished while it was looked at */
    OLV_NOT_OWNED
};

struct olv_verdict {
    enum olv_reason reason;
    uint32_t rule; /* where not OLV_NOT_OWNED */
    uint32_t step; /* index; where OLV_DUE, OLV_KEPT or OLV_SETTLING */
};

/* The rules whose `under` a directory lies in or is, in the order of the policy. */
struct olv_scope {
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

#endif
