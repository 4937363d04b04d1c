/* SPDX-License-Identifier: Apache-2.0 */
/* Default places of the calling user's files. */
#ifndef OLVIDO_HOME_H
#define OLVIDO_HOME_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

/* The state directory: /var/lib/olvido for root, else $XDG_STATE_HOME/olvido or ~/.local/state/olvido. */
bool olv_state_home(char *out, size_t size, struct olv_error *err);
/* The policy: /etc/olvido/policy.yaml for root, else $XDG_CONFIG_HOME/olvido/policy.yaml or
 * ~/.config/olvido/policy.yaml. */
bool olv_policy_home(char *out, size_t size, struct olv_error *err);
/* A user's settings.yaml beside that; and the system's, which is root's. */
bool olv_settings_home(char *out, size_t size, struct olv_error *err);
extern const char olv_settings_of_system[];

#endif
