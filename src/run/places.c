/* SPDX-License-Identifier: Apache-2.0 */
/* Where things are when nobody says otherwise: the XDG Base Directory specification for a user, the places of
 * the Filesystem Hierarchy Standard 3.0 for root. */
#include "olvido/run.h"

#include "base/accounts.h"

#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

static bool user_place(const char *variable, const char *below_home, const char *name, char *out, size_t size,
                       struct olv_error *err)
{
    const char *base = getenv(variable), *home = getenv("HOME");
    char own[PATH_MAX];
    int n;
    if (base && base[0] == '/') {
        n = snprintf(out, size, "%s/%s", base, name);
    } else {
        if ((!home || home[0] != '/') && olv_user_home((uint32_t)geteuid(), own, sizeof own))
            home = own;
        if (!home || home[0] != '/')
            return olv_fail(err, OLV_STATE, "there is no home directory; set HOME or %s", variable);
        n = snprintf(out, size, "%s/%s/%s", home, below_home, name);
    }
    return n > 0 && (size_t)n < size ? true
                                     : olv_fail(err, OLV_STATE, "the path of the home directory is too long");
}

bool olv_state_home(char *out, size_t size, struct olv_error *err)
{
    if (geteuid() == 0)
        return snprintf(out, size, "/var/lib/olvido") > 0;
    return user_place("XDG_STATE_HOME", ".local/state", "olvido", out, size, err);
}

bool olv_policy_home(char *out, size_t size, struct olv_error *err)
{
    if (geteuid() == 0)
        return snprintf(out, size, "/etc/olvido/policy.yaml") > 0;
    return user_place("XDG_CONFIG_HOME", ".config", "olvido/policy.yaml", out, size, err);
}
