/* SPDX-License-Identifier: Apache-2.0 */
/* What root relies on: only things that nobody else can change, or replace by changing something on the path
 * to them. A sticky directory that others can write is fine. For other users there are no such rules. */
#ifndef OLVIDO_TRUST_H
#define OLVIDO_TRUST_H

#include "olvido/policy.h"
#include "olvido/settings.h"

/* Reads a policy as olv_policy_load does; root reads only a trusted one: otherwise NULL with OLV_POLICY and
 * the offending place. It is opened once, so what was checked is what is read. Links on the path of a depot
 * that others could replace are not followed. */
struct olv_policy *olv_policy_load_trusted(const char *path, struct olv_diagnostics *diagnostics,
                                           struct olv_error *err);
/* Reads settings as olv_settings_read does; a missing file says nothing. Root reads only a trusted one:
 * otherwise false with OLV_UNTRUSTED, and the file says nothing. */
bool olv_settings_read_trusted(struct olv_settings *settings, const char *path, bool is_system,
                               struct olv_diagnostics *list, struct olv_error *err);
/* A path without links, owned by the caller; follows only links of root and of the calling user. NULL with
 * OLV_UNTRUSTED, or with the errno of what failed. */
char *olv_path_resolve(const char *path, struct olv_error *err);
/* The same for the directories above a state directory, whether or not it exists. False with OLV_STATE. */
bool olv_state_is_trusted(const char *path, struct olv_error *err);

#endif
