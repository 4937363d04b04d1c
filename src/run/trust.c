/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/trust.h"

#include "file/trusted.h"

#include <errno.h>
#include <limits.h>
#include <string.h>
#include <unistd.h>

struct olv_policy *olv_policy_load_trusted(const char *path, struct olv_diagnostics *diagnostics,
                                           struct olv_error *err)
{
    struct olv_policy *policy;
    int fd;
    if (geteuid() != 0)
        return olv_policy_load(path, diagnostics, err);
    fd = trusted_open(path, "the policy", OLV_POLICY, err);
    if (fd < 0)
        return NULL;
    policy = olv_policy_load_from(fd, path, diagnostics, err);
    close(fd);
    return policy;
}

bool olv_state_is_trusted(const char *path, struct olv_error *err)
{
    char copy[PATH_MAX];
    size_t len = strlen(path);
    int fd = -1;
    if (geteuid() != 0 || len >= sizeof copy)
        return true; /* one that is too long cannot be opened either */
    memcpy(copy, path, len + 1);
    while ((fd = trusted_open(*copy ? copy : ".", "the state directory", OLV_STATE, err)) < 0 &&
           err->sys == ENOENT && *copy) { /* it is still to be made: then those above it count */
        char *slash = strrchr(copy, '/');
        olv_error_clear(err);
        if (slash == copy && copy[1])
            copy[1] = '\0';
        else if (slash && slash != copy)
            *slash = '\0';
        else
            *copy = '\0';
    }
    if (fd >= 0)
        close(fd);
    return fd >= 0;
}
