/* SPDX-License-Identifier: Apache-2.0 */
/* Linux: leases, O_TMPFILE, extended attributes, SEEK_DATA. */
#define _GNU_SOURCE
#include "os/files.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <linux/fs.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <sys/xattr.h>
#include <unistd.h>

int olv_os_open_file(int dir, const char *name)
{
    enum { QUIETLY = O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC };
    int fd = openat(dir, name, QUIETLY | O_NOATIME);
    return fd < 0 && errno == EPERM ? openat(dir, name, QUIETLY) : fd;
}

/* A read lease. An opener triggers a signal, chosen to be ignored by default, and waits until the descriptor
 * is closed. */
enum olv_truth olv_os_watch(int fd)
{
    if (fcntl(fd, F_SETSIG, SIGURG) == 0 && fcntl(fd, F_SETLEASE, F_RDLCK) == 0)
        return OLV_YES;
    return errno == EAGAIN ? OLV_NO : OLV_UNKNOWN;
}

bool olv_os_is_watch_broken(int fd)
{
    return fcntl(fd, F_GETLEASE) != F_RDLCK;
}

int olv_os_make_unnamed(int dir)
{
    int fd = openat(dir, ".", O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (fd < 0 && (errno == EISDIR || errno == ENOENT || errno == EINVAL))
        errno = EOPNOTSUPP; /* what old kernels and file systems without it return */
    return fd;
}

bool olv_os_name_unnamed(int fd, int dir, const char *name)
{
    char path[64];
    if (linkat(fd, "", dir, name, AT_EMPTY_PATH) == 0)
        return true;
    if (errno != ENOENT && errno != EPERM)
        return false;
    snprintf(path, sizeof path, "/proc/self/fd/%d", fd); /* the way for users other than root */
    return linkat(AT_FDCWD, path, dir, name, AT_SYMLINK_FOLLOW) == 0;
}

/* FS_IOC_GETFSUUID, since Linux 6.9: <linux/fs.h> on the build machine may be older. */
struct filesystem_uuid {
    uint8_t len, uuid[16];
};
#define GET_FILESYSTEM_UUID _IOR(0x15, 0, struct filesystem_uuid)

bool olv_os_uuid(int fd, uint8_t out[16])
{
    struct filesystem_uuid it = {0};
    if (ioctl(fd, GET_FILESYSTEM_UUID, &it) != 0 || it.len != sizeof it.uuid)
        return false;
    memcpy(out, it.uuid, sizeof it.uuid);
    return true;
}

bool olv_os_project(int fd, uint32_t *out)
{
    struct fsxattr it = {0};
    if (ioctl(fd, FS_IOC_FSGETXATTR, &it) != 0)
        return false;
    *out = it.fsx_projid;
    return true;
}

bool olv_os_set_project(int fd, uint32_t project)
{
    struct fsxattr it = {0};
    if (ioctl(fd, FS_IOC_FSGETXATTR, &it) != 0)
        return false;
    it.fsx_projid = project;
    return ioctl(fd, FS_IOC_FSSETXATTR, &it) == 0;
}

void olv_os_begin_sync(int fd, uint64_t at, uint64_t length)
{
    sync_file_range(fd, (off_t)at, (off_t)length, SYNC_FILE_RANGE_WRITE);
}

bool olv_os_make_device(int dir, const char *name, mode_t type, uint32_t major_number, uint32_t minor_number)
{
    return mknodat(dir, name, type | 0600, makedev(major_number, minor_number)) == 0;
}

/* ---- extended attributes ---- */

/* The list of names, each with a NUL. NULL with errno; errno 0: there are none. */
static char *list_names(int fd, ssize_t *len)
{
    char *names;
    errno = 0;
    *len = flistxattr(fd, NULL, 0);
    if (*len <= 0) {
        if (errno == EOPNOTSUPP)
            errno = 0;
        return NULL;
    }
    names = malloc((size_t)*len);
    if (!names)
        return NULL;
    *len = flistxattr(fd, names, (size_t)*len);
    if (*len >= 0)
        return names;
    free(names);
    return NULL;
}

static bool tell_attribute(int fd, const char *name, void *room,
                           bool (*each)(void *, const char *, const void *, size_t), void *self)
{
    ssize_t len = fgetxattr(fd, name, room, XATTR_SIZE_MAX);
    if (len < 0)
        return errno == ENODATA;
    errno = 0;
    return each(self, name, room, (size_t)len);
}

bool olv_os_each_attribute(int fd, bool (*each)(void *self, const char *name, const void *value, size_t len),
                           void *self)
{
    ssize_t len;
    char *names = list_names(fd, &len), *room;
    bool ok;
    if (!names)
        return errno == 0;
    room = malloc(XATTR_SIZE_MAX);
    ok = room != NULL;
    for (const char *name = names; ok && name < names + len; name += strlen(name) + 1)
        ok = tell_attribute(fd, name, room, each, self);
    free(room);
    free(names);
    return ok;
}

ssize_t olv_os_get_attribute(int fd, const char *name, void *value, size_t size)
{
    return fgetxattr(fd, name, value, size);
}

ssize_t olv_os_get_attribute_of(int dir, const char *file, const char *name, void *value, size_t size)
{
    char path[NAME_MAX + 64];
    snprintf(path, sizeof path, "/proc/self/fd/%d/%.*s", dir, NAME_MAX, file);
    return lgetxattr(path, name, value, size);
}

bool olv_os_set_attribute(int fd, const char *name, const void *value, size_t len)
{
    return fsetxattr(fd, name, value, len, 0) == 0;
}

bool olv_os_remove_attribute(int fd, const char *name)
{
    return fremovexattr(fd, name) == 0;
}

static bool is_without(int fd, const char *list)
{
    return fremovexattr(fd, list) == 0 || errno == ENODATA || errno == EOPNOTSUPP;
}

bool olv_os_clear_lists(int fd)
{
    return is_without(fd, "system.posix_acl_access") && is_without(fd, "system.posix_acl_default");
}

bool olv_os_is_own_attribute(const char *name)
{
    static const char *const own[] = {"security.selinux", "security.ima", "security.evm", "security.SMACK64"};
    for (size_t i = 0; i < sizeof own / sizeof *own; i++)
        if (strcmp(name, own[i]) == 0)
            return true;
    return false;
}

/* ---- holes ---- */

bool olv_os_next_data(int fd, uint64_t from, uint64_t size, uint64_t *begin, uint64_t *end)
{
    off_t data = lseek(fd, (off_t)from, SEEK_DATA), hole;
    *begin = from;
    *end = size;
    if (from >= size || (data < 0 && errno == ENXIO))
        return false;
    if (data < 0)
        return true;
    hole = lseek(fd, data, SEEK_HOLE);
    *begin = (uint64_t)data;
    *end = hole < 0 || (uint64_t)hole > size ? size : (uint64_t)hole;
    return *begin < size;
}
