/* SPDX-License-Identifier: Apache-2.0 */
/* The policy's `trash` within a plan, and what makes a step wait in an unattended run. */
#ifndef OLV_RUN_PLAN_TRASH_H
#define OLV_RUN_PLAN_TRASH_H

#include "olvido/plan.h"

/* OLV_DUE, or why a step whose time has come waits for a person. `rule` is the policy's number of rules for
 * its `trash`. */
enum olv_reason why_it_waits(const struct olv_plan_options *options, size_t rule, const struct olv_act *act,
                             bool may_run_unattended);
/* Counts what Olvido discarded so long ago that the policy lets it go, and adds it to the docket. */
bool plan_trash(struct olv_plan *plan, const struct olv_policy *policy,
                const struct olv_plan_options *options, struct olv_error *err);

#endif
