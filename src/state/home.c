/* SPDX-License-Identifier: Apache-2.0 */
/* Default places: the XDG Base Directory specification for a user, the Filesystem Hierarchy Standard 3.0 for
 * root. */
#include "olvido/home.h"

#include "olvido/accounts.h"

#include <stdio.h>
#include <unistd.h>

bool olv_state_home(char *out, size_t size, struct olv_error *err)
{
    if (geteuid() == 0)
        return snprintf(out, size, "/var/lib/olvido") > 0;
    return olv_user_path("XDG_STATE_HOME", ".local/state", "olvido", out, size, err);
}

bool olv_policy_home(char *out, size_t size, struct olv_error *err)
{
    if (geteuid() == 0)
        return snprintf(out, size, "/etc/olvido/policy.yaml") > 0;
    return olv_user_path("XDG_CONFIG_HOME", ".config", "olvido/policy.yaml", out, size, err);
}

const char olv_settings_of_system[] = "/etc/olvido/settings.yaml";

bool olv_settings_home(char *out, size_t size, struct olv_error *err)
{
    if (geteuid() == 0)
        return snprintf(out, size, "%s", olv_settings_of_system) > 0;
    return olv_user_path("XDG_CONFIG_HOME", ".config", "olvido/settings.yaml", out, size, err);
}
