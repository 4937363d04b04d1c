/* SPDX-License-Identifier: Apache-2.0 */
/* What a run remembers of the rules: since when each has been as it is. */
#ifndef OLV_STATE_RULES_H
#define OLV_STATE_RULES_H

#include "olvido/policy.h"

/* Brings the register of an open state directory up to date. `in_notice` gets one answer for each rule, and
 * one for the policy's `trash`: whether it is so new, or so newly changed, that what cannot be taken back
 * waits. In a fresh state directory that is all of them. */
bool register_rules(int state, const struct olv_policy *policy, struct olv_instant now, bool *in_notice,
                    struct olv_error *err);

#endif
