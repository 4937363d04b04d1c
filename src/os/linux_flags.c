/* SPDX-License-Identifier: Apache-2.0 */
/* Linux: FS_IOC_GETFLAGS and FS_IOC_SETFLAGS (ioctl_iflags(2)). */
#define _GNU_SOURCE
#include "os/flags.h"

#include "os/os.h"

#include <fcntl.h>
#include <linux/capability.h>
#include <linux/fs.h>
#include <linux/magic.h>
#include <stdio.h>
#include <sys/ioctl.h>
#include <sys/statvfs.h>
#include <sys/syscall.h>
#include <sys/vfs.h>

static unsigned flags_of(int attributes)
{
    return (attributes & FS_APPEND_FL ? OLV_OS_APPEND_ONLY : 0u) |
           (attributes & FS_IMMUTABLE_FL ? OLV_OS_IMMUTABLE : 0u);
}

bool olv_os_flags(int fd, unsigned *out)
{
    int attributes = 0;
    if (ioctl(fd, FS_IOC_GETFLAGS, &attributes) != 0)
        return false;
    *out = flags_of(attributes);
    return true;
}

bool olv_os_set_flags(int fd, unsigned flags)
{
    int attributes = 0;
    if (ioctl(fd, FS_IOC_GETFLAGS, &attributes) != 0)
        return false;
    attributes &= ~(FS_APPEND_FL | FS_IMMUTABLE_FL);
    attributes |= flags & OLV_OS_APPEND_ONLY ? FS_APPEND_FL : 0;
    attributes |= flags & OLV_OS_IMMUTABLE ? FS_IMMUTABLE_FL : 0;
    return ioctl(fd, FS_IOC_SETFLAGS, &attributes) == 0;
}

static bool has_capability(void)
{
    struct __user_cap_header_struct head = {.version = _LINUX_CAPABILITY_VERSION_3};
    struct __user_cap_data_struct data[_LINUX_CAPABILITY_U32S_3] = {{0}};
    return syscall(SYS_capget, &head, data) == 0 && data[0].effective & 1u << CAP_LINUX_IMMUTABLE;
}

/* The first user namespace maps every id to itself. */
static bool is_in_namespace(void)
{
    unsigned long from = 0, to = 0, count = 0;
    FILE *map = fopen("/proc/self/uid_map", "re");
    bool is_first = map && fscanf(map, "%lu %lu %lu", &from, &to, &count) == 3 && from == 0 && to == 0 &&
                    count == 4294967295u;
    if (map)
        fclose(map);
    return map && !is_first;
}

enum olv_os_lack olv_os_flags_lack(int fd)
{
    struct statvfs mount;
    unsigned flags;
    if (fstatvfs(fd, &mount) == 0 && mount.f_flag & ST_RDONLY)
        return OLV_OS_LACKS_WRITING;
    if (!olv_os_flags(fd, &flags))
        return OLV_OS_LACKS_ATTRIBUTES;
    if (!has_capability())
        return OLV_OS_LACKS_PRIVILEGE;
    return is_in_namespace() ? OLV_OS_LACKS_HOST : OLV_OS_LACKS_NOTHING;
}

bool olv_os_hides_maps(int fd)
{
    struct statfs system;
    return fstatfs(fd, &system) != 0 || system.f_type == OVERLAYFS_SUPER_MAGIC;
}

int olv_os_reopen(int passing)
{
    enum { QUIETLY = O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC };
    char path[64];
    int fd;
    snprintf(path, sizeof path, "/proc/self/fd/%d", passing);
    fd = open(path, QUIETLY | O_NOATIME);
    return fd < 0 && errno == EPERM ? open(path, QUIETLY) : fd;
}
