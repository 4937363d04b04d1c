/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLVIDO_FITNESS_H
#define OLVIDO_FITNESS_H

#include "olvido/guard.h"
#include "olvido/policy.h"

/* Checks whether this machine can carry the policy out. Adds warnings for missing places, clocks that a file
 * system does not keep, acts that are impossible there, and rules about guarded places. Changes nothing. */
void olv_policy_examine_machine(const struct olv_policy *policy, const struct olv_guard *guard,
                                struct olv_diagnostics *list);

#endif
