/* SPDX-License-Identifier: Apache-2.0 */
/* What the files of planning share. */
#ifndef OLV_ENGINE_PLAN_PARTS_H
#define OLV_ENGINE_PLAN_PARTS_H

#include "judge/judging.h"
#include "olvido/docket.h"
#include "olvido/plan.h"

/* ---- manner.c: how a step is to be done to an entry: into which format, into which archive ---- */

/* What was asked last is answered at once. Begins zeroed. */
struct manner {
    const struct olv_step *step;
    struct olv_manner manner;
    struct olv_text name, last_name, path;
};

struct manner_facts {
    const struct olv_policy *policy;
    const struct olv_rule *rule;
    const struct olv_step *step;
    struct olv_instant now;   /* of the run */
    struct olv_instant clock; /* the time that the rule goes by */
    const char *below;        /* the directory of the entry below the rule's `under`, or "" */
};
/* Borrowed until the next call; NULL without memory. */
const struct olv_manner *manner_of(struct manner *manner, const struct manner_facts *facts);
void manner_free(struct manner *manner);

/* ---- plan_depots.c: what lies in depots goes on ageing there ---- */

/* Adds it to the plan, and what is due to its docket. Without a catalogue there is nothing. */
bool plan_depots(struct olv_plan *plan, const struct olv_policy *policy, const struct judging *judging,
                 const struct olv_observer *observer, struct olv_error *err);

/* ---- plan_trash.c: the policy's `trash`, and what makes a step wait in an unattended run ---- */

/* OLV_DUE, or why a step whose time has come waits for a person. `rule` is the policy's number of rules for
 * its `trash`. */
enum olv_reason why_it_waits(const struct olv_plan_options *options, size_t rule, const struct olv_act *act,
                             bool may_run_unattended);
/* Counts what Olvido discarded so long ago that the policy lets it go, and adds it to the docket. */
bool plan_trash(struct olv_plan *plan, const struct olv_policy *policy,
                const struct olv_plan_options *options, struct olv_error *err);

#endif
