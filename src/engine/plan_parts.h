/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the files of planning. */
#ifndef OLV_ENGINE_PLAN_PARTS_H
#define OLV_ENGINE_PLAN_PARTS_H

#include "judge/judging.h"
#include "olvido/docket.h"
#include "olvido/plan.h"

/* ---- plan_depots.c: what lies in depots goes on ageing there ---- */

/* Adds files in depots to the plan, and due ones to its docket. Without a catalogue there are none. */
bool plan_depots(struct olv_plan *plan, const struct olv_policy *policy, const struct judging *judging,
                 const struct olv_observer *observer, struct olv_error *err);

/* ---- plan_trash.c: what lies in trashes, and what makes a step wait in an unattended run ---- */

/* OLV_DUE, or why a step whose time has come waits for a person. `rule` is the number of rules for the
 * policy's `trash`. */
enum olv_reason why_it_waits(const struct olv_plan_options *options, size_t rule, const struct olv_act *act,
                             bool may_run_unattended);
/* Adds what rules discarded, and a later step ends, to the plan; then what Olvido discarded and the policy no
 * longer keeps; and both to its docket. */
bool plan_trash(struct olv_plan *plan, const struct olv_policy *policy, const struct judging *judging,
                const struct olv_observer *observer, struct olv_error *err);

#endif
