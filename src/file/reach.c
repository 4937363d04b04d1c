/* SPDX-License-Identifier: Apache-2.0 */
#include "file/reach.h"

#include "file/identity.h"
#include "os/os.h"

#include <errno.h>
#include <unistd.h>

void olv_reach_begin(struct olv_reach *reach)
{
    *reach = (struct olv_reach){.fd = -1};
}

void olv_reach_end(struct olv_reach *reach)
{
    if (reach->fd >= 0)
        close(reach->fd);
    reach->fd = -1;
}

static bool is_gone(int sys)
{
    return sys == ENOENT || sys == ELOOP || sys == ENOTDIR;
}

static bool reach(struct olv_reach *reach, const struct olv_docket_entry *e, bool same_mount,
                  struct olv_error *err)
{
    struct olv_stat stat;
    olv_reach_end(reach);
    reach->fd = olv_os_open_path(e->directory);
    if (reach->fd < 0) {
        bool gone = is_gone(errno);
        olv_fail_system(err, e->directory, "opening the directory");
        return gone ? olv_error_as(err, OLV_CHANGED) : false;
    }
    if (!olv_os_stat(reach->fd, "", &stat))
        return olv_fail_system(err, e->directory, "looking at the directory");
    if ((same_mount && stat.mount != e->directory_mount) || stat.inode != e->directory_inode) {
        olv_reach_end(reach);
        olv_fail(err, OLV_CHANGED, "another directory stands in its place");
        return olv_error_at(err, e->directory);
    }
    reach->mount = stat.mount;
    reach->inode = stat.inode;
    reach->device = stat.device;
    reach->is_ours = olv_directory_is_ours(&stat);
    return true;
}

bool olv_reach_directory(struct olv_reach *r, const struct olv_docket_entry *e, struct olv_error *err)
{
    if (r->fd >= 0 && r->mount == e->directory_mount && r->inode == e->directory_inode)
        return true;
    return reach(r, e, true, err);
}

bool olv_reach_again(struct olv_reach *r, const struct olv_docket_entry *e, struct olv_error *err)
{
    if (r->fd >= 0 && r->inode == e->directory_inode)
        return true;
    return reach(r, e, false, err);
}
