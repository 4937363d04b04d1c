/* SPDX-License-Identifier: Apache-2.0 */
/* Since when each rule has been as it is. */
#ifndef OLV_STATE_RULES_H
#define OLV_STATE_RULES_H

#include "olvido/policy.h"
#include "state/register.h"

/* Brings what is known of rules up to date, in one commit. `in_notice` gets one answer for each rule, and one
 * for the policy's `trash`: whether it is so new, or so newly changed, that what cannot be taken back waits.
 * In a fresh state directory that is all of them. */
bool rules_note(struct olv_register *reg, const struct olv_policy *policy, struct olv_instant now,
                bool *in_notice, struct olv_error *err);

#endif
