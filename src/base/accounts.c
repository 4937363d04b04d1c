/* SPDX-License-Identifier: Apache-2.0 */
/* Looked up while a policy is read and once for each ledger run, never while files are judged. */
#include "base/accounts.h"

#include <grp.h>
#include <pwd.h>
#include <stdio.h>

bool olv_user_id(const char *name, uint32_t *out)
{
    const struct passwd *user = getpwnam(name);
    if (user)
        *out = user->pw_uid;
    return user != NULL;
}

bool olv_group_id(const char *name, uint32_t *out)
{
    const struct group *group = getgrnam(name);
    if (group)
        *out = group->gr_gid;
    return group != NULL;
}

void olv_user_name(uint32_t id, char *out, size_t size)
{
    const struct passwd *user = getpwuid(id);
    if (user)
        snprintf(out, size, "%s", user->pw_name);
    else
        snprintf(out, size, "%u", id);
}

bool olv_user_home(uint32_t id, char *out, size_t size)
{
    const struct passwd *user = getpwuid(id);
    return user && user->pw_dir && (size_t)snprintf(out, size, "%s", user->pw_dir) < size;
}
