/* SPDX-License-Identifier: Apache-2.0 */
#include "file/reach.h"

#include "file/identity.h"
#include "olvido/path.h"
#include "os/files.h"
#include "os/os.h"

#include <errno.h>
#include <string.h>

void olv_reach_begin(struct olv_reach *reach)
{
    *reach = (struct olv_reach){.fd = -1};
}

static void reach_leave(struct olv_reach *reach)
{
    olv_os_close(reach->fd);
    reach->fd = -1;
}

void olv_reach_end(struct olv_reach *reach)
{
    reach_leave(reach);
    olv_text_free(&reach->path);
}

enum again { SAME_RUN, SAME_BOOT, OTHER_BOOT };

static bool is_known(const uint8_t uuid[16])
{
    static const uint8_t none[16];
    return memcmp(uuid, none, sizeof none) != 0;
}

/* Whether both are the same file system by UUID; OLV_UNKNOWN if there is none. */
static enum olv_truth is_same_system(int fd, const struct olv_directory_id *id)
{
    uint8_t now[16];
    if (!is_known(id->uuid) || !olv_os_uuid(fd, now))
        return OLV_UNKNOWN;
    return memcmp(now, id->uuid, sizeof now) == 0 ? OLV_YES : OLV_NO;
}

static bool is_it(int fd, const struct olv_stat *stat, const struct olv_directory_id *id, enum again again)
{
    enum olv_truth same;
    if (stat->inode != id->inode)
        return false;
    if (again == SAME_RUN)
        return stat->mount == id->mount;
    if (again == SAME_BOOT && stat->device == id->device)
        return true; /* a new mount may have given it another number */
    same = is_same_system(fd, id);
    return same == OLV_YES || (same == OLV_UNKNOWN && again == OTHER_BOOT);
}

static void note(struct olv_reach *reach, const struct olv_stat *stat)
{
    reach->mount = stat->mount;
    reach->inode = stat->inode;
    reach->device = stat->device;
    reach->is_ours = olv_directory_is_ours(stat);
    reach->is_append_only = stat->is_append_only;
    reach->is_immutable = stat->is_immutable;
}

/* From a directory to the one around it, which must be the one that was judged. Chains of directories are
 * swept in this way: each by its whole path would take the square of their depth. Only for acts that take
 * nothing but empty directories, because a directory that somebody moves in between is followed to where it
 * is now. */
static bool reach_up(struct olv_reach *reach, const struct olv_docket_entry *e)
{
    const char *behind = reach->fd >= 0 && e->act->traits & OLV_EMPTY_ONLY
                             ? olv_path_behind(olv_text_string(&reach->path), e->directory)
                             : NULL;
    struct olv_stat stat;
    int fd = behind && *behind && !strchr(behind + 1, '/') ? olv_os_open_above(reach->fd) : -1;
    if (fd >= 0 && olv_os_stat(fd, "", &stat) && is_it(fd, &stat, &e->at, SAME_RUN)) {
        olv_os_close(reach->fd);
        reach->fd = fd;
        olv_path_cut(reach->path.data);
        reach->path.len = strlen(reach->path.data);
        note(reach, &stat);
        return true;
    }
    olv_os_close(fd);
    return false;
}

static bool reach_reach(struct olv_reach *reach, const struct olv_docket_entry *e, enum again again,
                        struct olv_error *err)
{
    struct olv_stat stat;
    if (again == SAME_RUN && reach_up(reach, e))
        return true;
    reach_leave(reach);
    olv_text_clear(&reach->path);
    olv_text_puts(&reach->path, e->directory);
    if (reach->path.failed)
        return olv_fail_memory(err);
    reach->fd = olv_os_open_path(e->directory);
    if (reach->fd < 0) {
        bool gone = olv_os_is_absent(errno);
        olv_fail_system(err, e->directory, "opening the directory");
        return gone ? olv_error_as(err, OLV_CHANGED) : false;
    }
    if (!olv_os_stat(reach->fd, "", &stat)) {
        olv_fail_system(err, e->directory, "looking at the directory");
        reach_leave(reach);
        return false;
    }
    if (!is_it(reach->fd, &stat, &e->at, again)) {
        reach_leave(reach);
        olv_fail(err, OLV_CHANGED, "another directory is in its place");
        return olv_error_at(err, e->directory);
    }
    note(reach, &stat);
    return true;
}

bool olv_reach_directory(struct olv_reach *r, const struct olv_docket_entry *e, struct olv_error *err)
{
    if (r->fd >= 0 && r->mount == e->at.mount && r->inode == e->at.inode)
        return true;
    return reach_reach(r, e, SAME_RUN, err);
}

bool olv_reach_again(struct olv_reach *r, const struct olv_docket_entry *e, bool is_same_boot,
                     struct olv_error *err)
{
    if (r->fd >= 0 && strcmp(olv_text_string(&r->path), e->directory) == 0)
        return true;
    return reach_reach(r, e, is_same_boot ? SAME_BOOT : OTHER_BOOT, err);
}
