/* SPDX-License-Identifier: Apache-2.0 */
/* A copy of a policy file, for trying it out elsewhere. */
#ifndef OLV_POLICY_CONFINE_H
#define OLV_POLICY_CONFINE_H

#include "olvido/error.h"
#include "olvido/text.h"

/* Appends the policy in `file`, which must be valid, with `prefix` before every `under`, and without `trash`,
 * which would be about real items. */
bool policy_confine(const char *file, const char *prefix, struct olv_text *out, struct olv_error *err);

#endif
