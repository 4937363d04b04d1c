/* SPDX-License-Identifier: Apache-2.0 */
/* Called while reading a policy and once per ledger run, never while judging files. */
#include "olvido/accounts.h"

#include <grp.h>
#include <pwd.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

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

void olv_group_name(uint32_t id, char *out, size_t size)
{
    const struct group *group = getgrgid(id);
    if (group)
        snprintf(out, size, "%s", group->gr_name);
    else
        snprintf(out, size, "%u", id);
}

/* HOME, else what the system knows; NULL if neither is an absolute path. */
static const char *home_directory(void)
{
    const char *home = getenv("HOME");
    const struct passwd *user;
    if (home && home[0] == '/')
        return home;
    user = getpwuid(geteuid());
    return user && user->pw_dir && user->pw_dir[0] == '/' ? user->pw_dir : NULL;
}

bool olv_user_path(const char *variable, const char *below_home, const char *name, char *out, size_t size,
                   struct olv_error *err)
{
    const char *base = getenv(variable), *home = home_directory();
    int n;
    if (base && base[0] == '/')
        n = snprintf(out, size, "%s/%s", base, name);
    else if (home)
        n = snprintf(out, size, "%s/%s/%s", home, below_home, name);
    else
        return olv_fail(err, OLV_STATE, "there is no home directory; set HOME or %s", variable);
    return n > 0 && (size_t)n < size ? true
                                     : olv_fail(err, OLV_STATE, "the path of the home directory is too long");
}
