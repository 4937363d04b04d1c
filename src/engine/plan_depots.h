/* SPDX-License-Identifier: Apache-2.0 */
/* What lies in depots goes on ageing there: the same rules, asked about where each file was. */
#ifndef OLV_RUN_PLAN_DEPOTS_H
#define OLV_RUN_PLAN_DEPOTS_H

#include "judge/judging.h"

/* Adds it to the plan, and what is due to its docket. Without a catalogue there is nothing. */
bool plan_depots(struct olv_plan *plan, const struct olv_policy *policy, const struct judging *judging,
                 const struct olv_observer *observer, struct olv_error *err);

#endif
