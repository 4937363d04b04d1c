/* SPDX-License-Identifier: Apache-2.0 */
/* What root relies on: only what nobody else can change, or replace by changing something on the way to it. A
 * directory in which others may write is fine where it is sticky. Anybody else may follow what they like. */
#ifndef OLVIDO_TRUST_H
#define OLVIDO_TRUST_H

#include "olvido/policy.h"

/* Reads a policy as olv_policy_load does; as root only a trusted one: NULL with OLV_POLICY and the place that
 * is at fault. It is opened once: what was judged is what is read. Of a depot that others could replace,
 * links on the way are not followed. */
struct olv_policy *olv_policy_load_trusted(const char *path, struct olv_diagnostics *diagnostics,
                                           struct olv_error *err);
/* A path without links, owned by the caller: only links of root and of ours are followed. NULL with
 * OLV_UNTRUSTED, or with the errno of what failed. */
char *olv_path_resolve(const char *path, struct olv_error *err);
/* The same of those above a state directory, whether or not it is there. False with OLV_STATE. */
bool olv_state_is_trusted(const char *path, struct olv_error *err);

#endif
