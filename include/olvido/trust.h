/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLVIDO_TRUST_H
#define OLVIDO_TRUST_H

#include "olvido/error.h"

/* For root: whether only root can change this policy file, or put another one in its place (a directory in
 * which others may write is fine where it is sticky). Anybody else may follow what they like. False with
 * OLV_POLICY and the place that is at fault. */
bool olv_policy_is_trusted(const char *path, struct olv_error *err);

#endif
