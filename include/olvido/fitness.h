/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLVIDO_FITNESS_H
#define OLVIDO_FITNESS_H

#include "olvido/policy.h"

/* Whether this machine can carry the policy out: adds warnings for places that do not exist, clocks that a
 * file system does not keep, acts that are not possible there. Touches nothing. */
void olv_policy_examine_machine(const struct olv_policy *policy, struct olv_diagnostics *list);

#endif
