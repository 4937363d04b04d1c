/* SPDX-License-Identifier: Apache-2.0 */
/* Whether root may follow a policy: nobody but root can change it, or put another one in its place. */
#include "olvido/trust.h"

#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static bool refuse(struct olv_error *err, const char *path, const char *format, unsigned owner)
{
    olv_fail(err, OLV_POLICY, format, owner);
    olv_error_at(err, path);
    return olv_error_hint(err, "root follows a policy only if nobody else could have written it");
}

static bool examine(const char *path, bool is_policy, struct olv_error *err)
{
    struct stat st;
    if (lstat(path, &st) < 0)
        return olv_fail_system(err, path, "cannot look at it");
    if (st.st_uid != 0)
        return refuse(err, path,
                      is_policy ? "the policy belongs to user number %u"
                                : "the policy lies in a directory of user number %u",
                      (unsigned)st.st_uid);
    if (S_ISLNK(st.st_mode) || !(st.st_mode & 0022))
        return true;
    if (is_policy)
        return refuse(err, path, "others can write the policy", 0);
    if (st.st_mode & S_ISVTX)
        return true;
    return refuse(err, path, "others can write in a directory above the policy, so they could replace it", 0);
}

/* The path and every directory above it, links themselves. */
static bool examine_chain(const char *path, struct olv_error *err)
{
    char copy[PATH_MAX];
    if (strlen(path) >= sizeof copy)
        return olv_fail(err, OLV_POLICY, "the path of the policy is too long");
    memcpy(copy, path, strlen(path) + 1);
    if (!examine(copy, true, err))
        return false;
    for (char *slash = strrchr(copy, '/'); slash; slash = strrchr(copy, '/')) {
        *slash = '\0';
        if (!examine(*copy ? copy : "/", false, err))
            return false;
    }
    return true;
}

static bool make_absolute(const char *path, char out[PATH_MAX])
{
    size_t len = 0;
    if (path[0] != '/') {
        if (!getcwd(out, PATH_MAX))
            return false;
        len = strlen(out);
        out[len++] = '/';
    }
    if (len + strlen(path) >= PATH_MAX)
        return false;
    memcpy(out + len, path, strlen(path) + 1);
    return true;
}

bool olv_policy_is_trusted(const char *path, struct olv_error *err)
{
    char given[PATH_MAX], real[PATH_MAX];
    if (geteuid() != 0)
        return true;
    if (!make_absolute(path, given) || !realpath(path, real))
        return olv_fail_system(err, path, "cannot open the policy");
    return examine_chain(real, err) && (strcmp(given, real) == 0 || examine_chain(given, err));
}
