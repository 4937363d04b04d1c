/* SPDX-License-Identifier: Apache-2.0 */
/* Linux 5.6 and later: openat2, statx, getdents64, renameat2, open-file-description locks, leases. */
#define _GNU_SOURCE
#include "os/linux.h"

#include "os/os.h"
#include "os/weak.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <linux/magic.h>
#include <linux/openat2.h>
#include <sched.h>
#include <signal.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/syscall.h>
#include <sys/timex.h>
#include <sys/vfs.h>
#include <time.h>
#include <unistd.h>

enum { OPEN_DIRECTORY = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC };

static int open_how(int dir, const char *path, uint64_t flags, uint64_t resolve)
{
    struct open_how how = {.flags = flags, .resolve = resolve};
    long fd;
    do
        fd = syscall(SYS_openat2, dir, path, &how, sizeof how);
    while (fd < 0 && (errno == EINTR || errno == EAGAIN));
    return (int)fd;
}

/* Reading a directory must not make it look used: rules may count from its access time. Only its owner, or
 * root, may ask for that, so it is asked for each directory: one of somebody else says nothing of the next.
 */
static int open_resolved(int dir, const char *path, uint64_t resolve)
{
    int fd = open_how(dir, path, OPEN_DIRECTORY | O_NOATIME, resolve);
    return fd < 0 && errno == EPERM ? open_how(dir, path, OPEN_DIRECTORY, resolve) : fd;
}

bool olv_os_leaves_access_time(int fd)
{
    return (fcntl(fd, F_GETFL) & O_NOATIME) != 0;
}

/* What turned out to be missing in this kernel, container or file system. */
static atomic_bool has_no_openat2, has_no_exclusive_rename, has_other_projects;

void olv_os_note_other_project(void)
{
    atomic_store(&has_other_projects, true);
}

const char *olv_os_weaker(void)
{
    int root = olv_os_open_path("/");
    bool by_component = root >= 0 && atomic_load(&has_no_openat2);
    olv_os_close(root);
    if (atomic_load(&has_no_exclusive_rename))
        return by_component
                   ? "directories reached one component at a time, exclusive renames by link and unlink"
                   : "exclusive renames by link and unlink";
    if (atomic_load(&has_other_projects) && !by_component)
        return "what belongs to another project than its directory unlinked where it lies";
    return by_component ? "directories reached one component at a time" : "";
}

/* Whether a call failed because it does not exist here. */
static bool is_missing(atomic_bool *noted)
{
    if (errno != ENOSYS && errno != EPERM)
        return false;
    atomic_store(noted, true);
    return true;
}

/* How much of a path one call takes: all of it, or as many whole names as fit; 0: not even one does. */
static size_t piece_of(const char *path)
{
    size_t len = strnlen(path, PATH_MAX);
    if (len < PATH_MAX)
        return len;
    while (len > 0 && path[--len] != '/')
        ;
    return len;
}

/* A path may be longer than a call takes: then directories on the way are passed, without being read. */
static int open_by_pieces(int dir, const char *path, uint64_t resolve)
{
    char piece[PATH_MAX];
    size_t len = piece_of(path);
    int passed = -1, fd;
    while (path[len] && len) {
        memcpy(piece, path, len);
        piece[len] = '\0';
        dir = open_how(dir, piece, O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC, resolve);
        olv_os_close(passed);
        if (dir < 0)
            return -1;
        passed = dir;
        path += len + strspn(path + len, "/");
        len = piece_of(path);
    }
    /* what is left, as it is: too long a name is said by the system */
    fd = open_resolved(dir, passed >= 0 && !*path ? "." : path, resolve);
    olv_os_close(passed);
    return fd;
}

int olv_os_open_path(const char *path)
{
    int fd = open_by_pieces(AT_FDCWD, path, RESOLVE_NO_SYMLINKS | RESOLVE_NO_MAGICLINKS);
    return fd < 0 && is_missing(&has_no_openat2) ? weak_open_path(path) : fd;
}

int olv_os_open_passing(int dir, const char *name)
{
    return openat(dir, name, O_PATH | O_NOFOLLOW | O_CLOEXEC);
}

int olv_os_open_dir(int dir, const char *path, bool one_mount)
{
    uint64_t resolve = RESOLVE_BENEATH | RESOLVE_NO_SYMLINKS | RESOLVE_NO_MAGICLINKS;
    int fd = open_by_pieces(dir, path, resolve | (one_mount ? RESOLVE_NO_XDEV : 0));
    return fd < 0 && is_missing(&has_no_openat2) ? weak_open_dir(dir, path, one_mount) : fd;
}

static enum olv_kind kind_of_mode(unsigned mode)
{
    switch (mode & S_IFMT) {
    case S_IFREG:
        return OLV_KIND_FILE;
    case S_IFDIR:
        return OLV_KIND_DIRECTORY;
    case S_IFLNK:
        return OLV_KIND_LINK;
    case S_IFSOCK:
        return OLV_KIND_SOCKET;
    case S_IFIFO:
        return OLV_KIND_PIPE;
    case S_IFCHR:
    case S_IFBLK:
        return OLV_KIND_DEVICE;
    default:
        return OLV_KIND_UNKNOWN;
    }
}

static struct olv_instant instant_of(const struct statx_timestamp *t)
{
    return (struct olv_instant){t->tv_sec, t->tv_nsec};
}

static bool linux_look(int dir, const char *name, int flags, struct olv_stat *out)
{
    struct statx x;
    if (statx(dir, name, flags, STATX_BASIC_STATS | STATX_BTIME | STATX_MNT_ID, &x) < 0)
        return false;
    *out = (struct olv_stat){
        .kind = kind_of_mode(x.stx_mode),
        .mode = x.stx_mode & 07777,
        .owner = x.stx_uid,
        .group = x.stx_gid,
        .links = x.stx_nlink,
        .size_bytes = x.stx_size,
        .allocated_bytes = x.stx_blocks * 512,
        .inode = x.stx_ino,
        .mount = x.stx_mask & STATX_MNT_ID ? x.stx_mnt_id : (uint64_t)x.stx_dev_major << 32 | x.stx_dev_minor,
        .device = (uint64_t)x.stx_dev_major << 32 | x.stx_dev_minor,
        .modified = instant_of(&x.stx_mtime),
        .accessed = instant_of(&x.stx_atime),
        .changed = instant_of(&x.stx_ctime),
        .born = instant_of(&x.stx_btime),
        .has_born = (x.stx_mask & STATX_BTIME) != 0,
        .is_immutable = (x.stx_attributes & STATX_ATTR_IMMUTABLE) != 0,
        .is_append_only = (x.stx_attributes & STATX_ATTR_APPEND) != 0,
        .is_block = (x.stx_mode & S_IFMT) == S_IFBLK,
        .special_major = x.stx_rdev_major,
        .special_minor = x.stx_rdev_minor,
    };
    return true;
}

bool olv_os_stat(int dir, const char *name, struct olv_stat *out)
{
    return linux_look(dir, name, AT_SYMLINK_NOFOLLOW | AT_NO_AUTOMOUNT | (*name ? 0 : AT_EMPTY_PATH), out);
}

bool linux_stat_open(int dir, const char *name, struct olv_stat *out)
{
    return linux_look(dir, name, AT_NO_AUTOMOUNT | AT_STATX_DONT_SYNC, out);
}

bool olv_os_list_begin(struct olv_os_listing *listing, int dir)
{
    *listing = (struct olv_os_listing){.dir = dir};
    return lseek(dir, 0, SEEK_SET) == 0;
}

ssize_t olv_os_list_read(struct olv_os_listing *listing, void *buffer, size_t size)
{
    return syscall(SYS_getdents64, listing->dir, buffer, size);
}

void olv_os_list_end(struct olv_os_listing *listing)
{
    (void)listing;
}

static enum olv_kind kind_of_entry(unsigned char type)
{
    switch (type) {
    case DT_REG:
        return OLV_KIND_FILE;
    case DT_DIR:
        return OLV_KIND_DIRECTORY;
    case DT_LNK:
        return OLV_KIND_LINK;
    case DT_SOCK:
        return OLV_KIND_SOCKET;
    case DT_FIFO:
        return OLV_KIND_PIPE;
    case DT_CHR:
    case DT_BLK:
        return OLV_KIND_DEVICE;
    default:
        return OLV_KIND_UNKNOWN;
    }
}

/* The record of getdents64(2): 64-bit inode and offset, then its own length, type and name. */
enum { AT_RECORD_LENGTH = 16, AT_TYPE = 18, AT_NAME = 19 };

bool olv_os_next_name(const void *buffer, size_t len, size_t *at, struct olv_os_name *out)
{
    while (*at < len) {
        const unsigned char *record = (const unsigned char *)buffer + *at;
        const char *name = (const char *)record + AT_NAME;
        uint16_t length;
        memcpy(&length, record + AT_RECORD_LENGTH, sizeof length);
        *at += length;
        if (name[0] == '.' && (!name[1] || (name[1] == '.' && !name[2])))
            continue;
        *out = (struct olv_os_name){name, strlen(name), kind_of_entry(record[AT_TYPE])};
        return true;
    }
    return false;
}

bool olv_os_rename_once(int old_dir, const char *old_name, int new_dir, const char *new_name)
{
    if (syscall(SYS_renameat2, old_dir, old_name, new_dir, new_name, 1u /* RENAME_NOREPLACE */) == 0)
        return true;
    if (errno == ENOSYS || errno == EINVAL) { /* EINVAL: this file system does not support the flag */
        atomic_store(&has_no_exclusive_rename, true);
        errno = EOPNOTSUPP;
    }
    return false;
}

bool olv_os_exchange(int a_dir, const char *a, int b_dir, const char *b)
{
    if (syscall(SYS_renameat2, a_dir, a, b_dir, b, 2u /* RENAME_EXCHANGE */) == 0)
        return true;
    if (errno == ENOSYS || errno == EINVAL)
        errno = EOPNOTSUPP;
    return false;
}

bool olv_os_lock(int fd)
{
    struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
    return fcntl(fd, F_OFD_SETLK, &lock) == 0;
}

bool olv_os_is_locked(int fd)
{
    struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
    return fcntl(fd, F_OFD_GETLK, &lock) == 0 && lock.l_type != F_UNLCK;
}

bool olv_os_sync_all(int fd)
{
    return syncfs(fd) == 0;
}

bool olv_os_facts_of_mount(int fd, struct olv_os_mount_facts *out)
{
    struct statvfs fs;
    if (fstatvfs(fd, &fs) < 0)
        return false;
    out->is_read_only = (fs.f_flag & ST_RDONLY) != 0;
    out->access_times = fs.f_flag & ST_NOATIME ? OLV_NO : OLV_YES;
    return true;
}

struct mount_search {
    uint64_t mount;
    bool is_remote;
};

static bool look_at_mount(void *self, const struct olv_os_mount *mount)
{
    struct mount_search *s = self;
    if (mount->id == s->mount)
        s->is_remote = mount->is_remote;
    return mount->id != s->mount;
}

static bool is_on_remote_mount(int fd)
{
    struct olv_stat stat;
    struct mount_search search = {0};
    if (!olv_os_stat(fd, "", &stat))
        return false;
    search.mount = stat.mount;
    return olv_os_each_mount(look_at_mount, &search) && search.is_remote;
}

bool olv_os_is_network(int fd)
{
    static const unsigned long remote[] = {NFS_SUPER_MAGIC,  SMB_SUPER_MAGIC, CIFS_SUPER_MAGIC,
                                           SMB2_SUPER_MAGIC, V9FS_MAGIC,      CEPH_SUPER_MAGIC,
                                           AFS_SUPER_MAGIC,  AFS_FS_MAGIC};
    struct statfs fs;
    if (fstatfs(fd, &fs) < 0)
        return false;
    for (size_t i = 0; i < sizeof remote / sizeof *remote; i++)
        if ((unsigned long)fs.f_type == remote[i])
            return true;
    return (unsigned long)fs.f_type == FUSE_SUPER_MAGIC && is_on_remote_mount(fd);
}

/* A read lease is granted only while nobody has the file open for writing; it is released at once. */
enum olv_truth olv_os_is_open_for_writing(int dir, const char *name)
{
    enum olv_truth answer = OLV_UNKNOWN;
    int fd = openat(dir, name, O_RDONLY | O_NONBLOCK | O_NOFOLLOW | O_NOCTTY | O_CLOEXEC);
    if (fd < 0)
        return OLV_UNKNOWN;
    if (fcntl(fd, F_SETSIG, SIGURG) == 0 && fcntl(fd, F_SETLEASE, F_RDLCK) == 0) {
        answer = OLV_NO;
    } else if (errno == EAGAIN) {
        answer = OLV_YES;
    }
    close(fd); /* and with it the lease */
    return answer;
}

struct olv_instant olv_os_now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_REALTIME, &t);
    return (struct olv_instant){t.tv_sec, (uint32_t)t.tv_nsec};
}

bool olv_os_boot(char id[OLV_OS_BOOT_SIZE], int64_t *since_s)
{
    struct timespec t;
    FILE *file = fopen("/proc/sys/kernel/random/boot_id", "re");
    bool ok = file && fgets(id, OLV_OS_BOOT_SIZE, file) && clock_gettime(CLOCK_BOOTTIME, &t) == 0;
    if (file)
        fclose(file);
    if (!ok)
        return false;
    id[strcspn(id, "\n")] = '\0';
    *since_s = t.tv_sec;
    return true;
}

enum olv_truth olv_os_clock_is_synchronised(void)
{
    struct timex t = {.modes = 0};
    int state = adjtimex(&t);
    if (state < 0)
        return OLV_UNKNOWN;
    return state == TIME_ERROR || (t.status & STA_UNSYNC) ? OLV_NO : OLV_YES;
}

unsigned olv_os_cpus(void)
{
    static atomic_uint known;
    cpu_set_t set;
    unsigned none = 0;
    if (atomic_load(&known) == 0)
        atomic_compare_exchange_strong(
            &known, &none, sched_getaffinity(0, sizeof set, &set) == 0 ? (unsigned)CPU_COUNT(&set) : 1);
    return atomic_load(&known);
}

unsigned olv_os_terminal_width(int fd)
{
    struct winsize size;
    return ioctl(fd, TIOCGWINSZ, &size) == 0 ? size.ws_col : 0;
}

void olv_os_host_name(char *out, size_t size)
{
    if (gethostname(out, size) < 0)
        snprintf(out, size, "unknown");
    out[size - 1] = '\0';
}
