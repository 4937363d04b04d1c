/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLVIDO_FITNESS_H
#define OLVIDO_FITNESS_H

#include "olvido/guard.h"
#include "olvido/policy.h"

/* Whether this machine can carry the policy out: adds warnings for places that do not exist, clocks that a
 * file system does not keep, acts that are not possible there, rules about places that are guarded. Touches
 * nothing. */
void olv_policy_examine_machine(const struct olv_policy *policy, const struct olv_guard *guard,
                                struct olv_diagnostics *list);

#endif
