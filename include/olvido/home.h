/* SPDX-License-Identifier: Apache-2.0 */
/* Where the files of the calling user are. */
#ifndef OLVIDO_HOME_H
#define OLVIDO_HOME_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

/* Where the state directory of the calling user is: /var/lib/olvido for root, else $XDG_STATE_HOME/olvido, or
 * ~/.local/state/olvido. */
bool olv_state_home(char *out, size_t size, struct olv_error *err);
/* Where the policy of the calling user is: /etc/olvido/policy.yaml, or $XDG_CONFIG_HOME/olvido/policy.yaml,
 * or
 * ~/.config/olvido/policy.yaml. */
bool olv_policy_home(char *out, size_t size, struct olv_error *err);

#endif
