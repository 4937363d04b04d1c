/* SPDX-License-Identifier: Apache-2.0 */
/* Why a policy does with one file what it does, or does nothing. Touches nothing. */
#ifndef OLVIDO_EXPLAIN_H
#define OLVIDO_EXPLAIN_H

#include "olvido/plan.h"

/* A rule that was asked, in the order of the policy. */
struct olv_explained_rule {
    uint32_t rule;
    enum olv_truth fits;
    const char *why; /* the parts of its `where` that decide it, with the values; "" without `where` */
};

struct olv_explained_step {
    bool has_time; /* false: beyond the calendar, or there is no time to count from */
    struct olv_instant when;
    bool has_come;
};

/* Everything in it is owned by it. */
struct olv_explanation {
    const char *path; /* absolute, without links but the last component */
    bool exists;
    struct olv_stat stat;            /* where it exists */
    const char *was;                 /* what it was called before Olvido's first act on it; NULL: as it is */
    uint64_t was_bytes;              /* then: its size */
    const struct olv_act *was_until; /* and the act */
    /* What does not exist, but lies in depots: then `stat` is what it was, and the newest version is judged.
     */
    size_t stored_versions;
    const char *depot, *archive;
    struct olv_instant archived;
    struct olv_verdict verdict;
    bool is_summed_up; /* a directory, judged as a whole: it is as old as the youngest entry in it */
    struct olv_contents contents; /* then */
    const char *goes_with;        /* the outermost directory around it that is due as a whole; NULL: none */
    struct olv_verdict goes;      /* then: the verdict on that one */
    struct olv_explained_rule *rules; /* those whose `under` it lies in, down to the one that owns it */
    size_t rule_count;
    bool has_start;
    struct olv_instant clock, start;  /* the time that its rule goes by; where the count begins */
    struct olv_explained_step *steps; /* of the owning rule */
    struct olv_obstacles obstacles;
    struct olv_explanation_memory *memory;
};

/* Explains what is at `path`. False when memory ran out or the path makes no sense; a path that does not
 * exist is no failure. Free it in any case. */
bool olv_explain(struct olv_explanation *out, const struct olv_policy *policy, const char *path,
                 const struct olv_plan_options *options, const struct olv_observer *observer,
                 struct olv_error *err);
void olv_explanation_free(struct olv_explanation *explanation);

#endif
