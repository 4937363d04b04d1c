/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/trust.h"

#include "file/identity.h"
#include "file/trusted.h"
#include "os/os.h"

#include <stdio.h>

int depot_open_trusted(const char *path, struct olv_error *err)
{
    int fd = trusted_directory(path, "the depot", OLV_UNTRUSTED, err);
    struct olv_error why;
    if (fd >= 0 || err->code != OLV_UNTRUSTED)
        return fd;
    why = *err; /* an outcome shows only `what` */
    olv_fail(err, OLV_UNTRUSTED, "%.120s: %.180s", why.what, why.path);
    olv_error_at(err, path);
    olv_error_hint(err,
                   "it and all directories above must belong to you or root, and be writable by nobody else");
    return -1;
}

bool depot_is_trusted(const char *path, int dir, struct olv_error *err)
{
    int fd = depot_open_trusted(path, err);
    struct olv_stat there = {0}, meant = {0};
    bool ok = fd >= 0;
    if (ok && !(olv_os_stat(fd, "", &there) && olv_os_stat(dir, "", &meant)))
        ok = olv_fail_system(err, path, "cannot look at the depot");
    if (ok && (there.device != meant.device || there.inode != meant.inode))
        ok = olv_fail(err, OLV_CHANGED, "another directory is at the depot's path");
    olv_os_close(fd);
    return ok;
}

void depot_warn(const struct olv_observer *observer, const struct olv_error *why, const char *then)
{
    char what[300];
    if (why->code != OLV_UNTRUSTED)
        return;
    snprintf(what, sizeof what, "others could have changed what lies in this depot; %s", then);
    olv_observe_trouble(observer, (struct olv_trouble){OLV_TROUBLE_UNTRUSTED, why->path, what, 0});
}
