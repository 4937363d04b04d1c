/* SPDX-License-Identifier: Apache-2.0 */
/* Linux: FS_IOC_GETFLAGS and FS_IOC_SETFLAGS (ioctl_iflags(2)), and fdinfo (proc_pid_fdinfo(5)). */
#define _GNU_SOURCE
#include "os/flags.h"

#include "os/linux.h"
#include "os/os.h"

#include <dirent.h>
#include <fcntl.h>
#include <linux/capability.h>
#include <linux/fs.h>
#include <linux/magic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
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

/* ---- who writes ---- */

struct looking_for {
    uint64_t device, inode;
    bool (*each)(void *self, const struct olv_os_writer *writer);
    void *self;
    bool is_complete, is_stopped;
};

/* fdinfo says the flags of open(2) in octal. */
static bool appends(int proc, const char *process, const char *fd)
{
    char path[300], line[128];
    unsigned long flags = 0;
    int info;
    FILE *file;
    snprintf(path, sizeof path, "%.32s/fdinfo/%.32s", process, fd);
    info = openat(proc, path, O_RDONLY | O_CLOEXEC);
    file = info >= 0 ? fdopen(info, "r") : NULL;
    if (!file)
        olv_os_close(info);
    while (file && fgets(line, sizeof line, file))
        if (strncmp(line, "flags:", 6) == 0)
            flags = strtoul(line + 6, NULL, 8);
    if (file)
        fclose(file);
    return flags & O_APPEND;
}

static void read_program(int proc, const char *process, char *out, size_t size)
{
    char path[300];
    int fd;
    ssize_t got;
    snprintf(path, sizeof path, "%s/comm", process);
    fd = openat(proc, path, O_RDONLY | O_CLOEXEC);
    got = fd >= 0 ? read(fd, out, size - 1) : 0;
    out[got > 0 ? got : 0] = '\0';
    out[strcspn(out, "\n")] = '\0';
    olv_os_close(fd);
}

static void look_at_descriptor(struct looking_for *l, int proc, const char *process, int fds, const char *fd)
{
    char program[64];
    struct stat link;
    struct olv_stat file;
    struct olv_os_writer writer = {.program = program};
    if (fstatat(fds, fd, &link, AT_SYMLINK_NOFOLLOW) < 0 || !(link.st_mode & S_IWUSR) ||
        !linux_stat_open(fds, fd, &file) || file.device != l->device || file.inode != l->inode)
        return;
    read_program(proc, process, program, sizeof program);
    writer.process = strtoll(process, NULL, 10);
    writer.appends = appends(proc, process, fd);
    l->is_stopped = !l->each(l->self, &writer);
}

static void look_at_process(struct looking_for *l, int proc, const char *process)
{
    char path[300];
    struct dirent *entry;
    DIR *fds;
    int fd;
    snprintf(path, sizeof path, "%s/fd", process);
    fd = openat(proc, path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    fds = fd >= 0 ? fdopendir(fd) : NULL;
    if (!fds) {
        l->is_complete &= errno == ENOENT || errno == ESRCH; /* those have exited meanwhile */
        olv_os_close(fd);
        return;
    }
    while (!l->is_stopped && (entry = readdir(fds)))
        if (entry->d_name[0] != '.')
            look_at_descriptor(l, proc, process, fd, entry->d_name);
    closedir(fds);
}

bool olv_os_each_writer(uint64_t device, uint64_t inode,
                        bool (*each)(void *self, const struct olv_os_writer *writer), void *self)
{
    struct looking_for l = {device, inode, each, self, true, false};
    DIR *processes = opendir("/proc");
    struct dirent *entry;
    if (!processes)
        return false;
    while (!l.is_stopped && (entry = readdir(processes)))
        if (entry->d_name[0] >= '1' && entry->d_name[0] <= '9')
            look_at_process(&l, dirfd(processes), entry->d_name);
    closedir(processes);
    return l.is_complete && !l.is_stopped;
}
