/* SPDX-License-Identifier: Apache-2.0 */
/* Explains what a policy does with one file, or why it does nothing. Changes nothing. */
#ifndef OLVIDO_EXPLAIN_H
#define OLVIDO_EXPLAIN_H

#include "olvido/plan.h"

/* A rule that was tried, in policy order. */
struct olv_explained_rule {
    uint32_t rule;
    enum olv_truth fits;
    const char *why; /* the parts of its `where` that decide, with their values; "" without `where` */
};

struct olv_explained_step {
    bool has_time; /* false: outside the calendar, or nothing to count from */
    struct olv_instant when;
    bool has_come;
};

/* Owns everything in it. */
struct olv_explanation {
    const char *path; /* absolute, without links except in the last component */
    bool exists;
    struct olv_stat stat;            /* if it exists */
    const char *was;                 /* its name before Olvido's first act on it; NULL: the same */
    uint64_t was_bytes;              /* then: its size */
    const struct olv_act *was_until; /* and the act that renamed it */
    /* If it does not exist but lies in depots, `stat` is what it was, and the newest version is judged. */
    size_t stored_versions;
    const char *depot, *archive;
    struct olv_instant archived;
    /* If it does not exist but lies in a trash (and in no depot): the newest item. What a rule discarded is
     * judged there. */
    const char *trash; /* path; NULL: in none */
    struct olv_instant discarded;
    bool has_trash_end; /* the policy's `trash` ends it: */
    struct olv_instant trash_end;
    struct olv_verdict verdict;
    bool is_summed_up;            /* a directory judged as a whole: as old as its youngest entry */
    struct olv_contents contents; /* then */
    const char *goes_with;        /* the outermost directory around it that is due as a whole; NULL: none */
    struct olv_verdict goes;      /* then: the verdict on that directory */
    struct olv_explained_rule *rules; /* the rules with an `under` around it, up to the one that owns it */
    size_t rule_count;
    bool has_start;
    struct olv_instant clock, start;  /* the time the rule goes by; where counting starts */
    struct olv_explained_step *steps; /* of the owning rule */
    struct olv_obstacles obstacles;
    struct olv_explanation_memory *memory;
};

/* Explains what is at `path`. False when memory runs out or the path makes no sense; a path that does not
 * exist is no failure. Free it in any case. */
bool olv_explain(struct olv_explanation *out, const struct olv_policy *policy, const char *path,
                 const struct olv_plan_options *options, const struct olv_observer *observer,
                 struct olv_error *err);
void olv_explanation_free(struct olv_explanation *explanation);

#endif
