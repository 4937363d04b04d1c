/* SPDX-License-Identifier: Apache-2.0 */
/* Any system with POSIX.1-2008. What it lacks is done in a weaker way, as olv_os_weaker says: mounts are told
 * apart by device number, a name is taken by link and unlink, and nobody can say which files are open. */
#include "os/os.h"

#include "os/weak.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdatomic.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <time.h>
#include <unistd.h>

enum { OPEN_DIRECTORY = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC };

void olv_os_note_other_project(void)
{
}

const char *olv_os_weaker(void)
{
    return "mounts by device number, trash on the home file system only, exclusive renames by link and "
           "unlink, "
           "open files unknown, times of birth unknown, file attributes unknown, network file systems "
           "unknown, "
           "clock unchecked, file systems synced without waiting";
}

/* ---- reaching ---- */

int olv_os_open_path(const char *path)
{
    return weak_open_path(path);
}

int olv_os_open_passing(int dir, const char *name)
{
    return openat(dir, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
}

int olv_os_open_dir(int dir, const char *path, bool one_mount)
{
    return weak_open_dir(dir, path, one_mount);
}

static enum olv_kind kind_of_mode(mode_t mode)
{
    if (S_ISREG(mode))
        return OLV_KIND_FILE;
    if (S_ISDIR(mode))
        return OLV_KIND_DIRECTORY;
    if (S_ISLNK(mode))
        return OLV_KIND_LINK;
    if (S_ISSOCK(mode))
        return OLV_KIND_SOCKET;
    if (S_ISFIFO(mode))
        return OLV_KIND_PIPE;
    return S_ISCHR(mode) || S_ISBLK(mode) ? OLV_KIND_DEVICE : OLV_KIND_UNKNOWN;
}

static struct olv_instant instant_of(struct timespec t)
{
    return (struct olv_instant){t.tv_sec, (uint32_t)t.tv_nsec};
}

static struct olv_stat converted(const struct stat *st)
{
    return (struct olv_stat){
        .kind = kind_of_mode(st->st_mode),
        .mode = st->st_mode & 07777,
        .owner = st->st_uid,
        .group = st->st_gid,
        .links = (uint32_t)st->st_nlink,
        .size_bytes = (uint64_t)st->st_size,
        .allocated_bytes = (uint64_t)st->st_blocks * 512,
        .inode = st->st_ino,
        .mount = st->st_dev,
        .device = st->st_dev,
        .modified = instant_of(st->st_mtim),
        .accessed = instant_of(st->st_atim),
        .changed = instant_of(st->st_ctim),
    };
}

bool olv_os_stat(int dir, const char *name, struct olv_stat *out)
{
    struct stat st;
    int failed;
    if (*name)
        failed = fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW);
    else
        failed = fstat(dir, &st);
    if (failed)
        return false;
    *out = converted(&st);
    return true;
}

bool olv_os_facts_of_mount(int fd, struct olv_os_mount_facts *out)
{
    struct statvfs fs;
    if (fstatvfs(fd, &fs) < 0)
        return false;
    *out = (struct olv_os_mount_facts){.is_read_only = (fs.f_flag & ST_RDONLY) != 0,
                                       .access_times = OLV_UNKNOWN};
    return true;
}

bool olv_os_each_mount(bool (*each)(void *self, const struct olv_os_mount *mount), void *self)
{
    (void)each;
    (void)self;
    errno = ENOSYS;
    return false;
}

/* ---- reading a directory ---- */

/* A record: the name's length in two bytes, the name, a zero. */
enum { LENGTH_SIZE = sizeof(uint16_t) };

struct stream {
    DIR *dir;
    struct dirent *kept; /* the one that no longer fitted */
};

bool olv_os_list_begin(struct olv_os_listing *listing, int dir)
{
    struct stream *s = calloc(1, sizeof *s);
    int fd = s ? openat(dir, ".", OPEN_DIRECTORY) : -1; /* with a position of its own */
    if (fd < 0 && s && errno == EACCES)
        fd = fcntl(dir, F_DUPFD_CLOEXEC, 0); /* may be listed, but not entered */
    if (fd >= 0 && (s->dir = fdopendir(fd))) {
        rewinddir(s->dir);
        listing->dir = dir;
        listing->stream = s;
        return true;
    }
    olv_os_close(fd);
    free(s);
    return false;
}

ssize_t olv_os_list_read(struct olv_os_listing *listing, void *buffer, size_t size)
{
    struct stream *s = listing->stream;
    char *at = buffer;
    for (;;) {
        struct dirent *entry = s->kept;
        uint16_t len;
        errno = 0;
        if (!entry && !(entry = readdir(s->dir)))
            return at > (char *)buffer || errno == 0 ? at - (char *)buffer : -1;
        len = (uint16_t)strlen(entry->d_name);
        s->kept = NULL;
        if ((size_t)(at - (char *)buffer) + LENGTH_SIZE + len + 1 > size) {
            s->kept = entry;
            return at - (char *)buffer;
        }
        memcpy(at, &len, LENGTH_SIZE);
        memcpy(at + LENGTH_SIZE, entry->d_name, (size_t)len + 1);
        at += LENGTH_SIZE + len + 1;
    }
}

void olv_os_list_end(struct olv_os_listing *listing)
{
    struct stream *s = listing->stream;
    int kept = errno;
    closedir(s->dir);
    free(s);
    errno = kept;
}

bool olv_os_next_name(const void *buffer, size_t len, size_t *at, struct olv_os_name *out)
{
    while (*at < len) {
        const char *record = (const char *)buffer + *at, *name = record + LENGTH_SIZE;
        uint16_t n;
        memcpy(&n, record, LENGTH_SIZE);
        *at += LENGTH_SIZE + n + 1;
        if (name[0] == '.' && (!name[1] || (name[1] == '.' && !name[2])))
            continue;
        *out = (struct olv_os_name){name, n, OLV_KIND_UNKNOWN};
        return true;
    }
    return false;
}

bool olv_os_leaves_access_time(int fd)
{
    (void)fd;
    return false;
}

/* ---- acting ---- */

bool olv_os_rename_once(int old_dir, const char *old_name, int new_dir, const char *new_name)
{
    (void)old_dir;
    (void)old_name;
    (void)new_dir;
    (void)new_name;
    errno = EOPNOTSUPP;
    return false;
}

bool olv_os_exchange(int a_dir, const char *a, int b_dir, const char *b)
{
    (void)a_dir;
    (void)a;
    (void)b_dir;
    (void)b;
    errno = EOPNOTSUPP;
    return false;
}

bool olv_os_lock(int fd)
{
    struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
    return fcntl(fd, F_SETLK, &lock) == 0;
}

bool olv_os_is_locked(int fd)
{
    struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
    return fcntl(fd, F_GETLK, &lock) == 0 && lock.l_type != F_UNLCK;
}

/* sync() may return before everything is written. */
bool olv_os_sync_all(int fd)
{
    sync();
    return fsync(fd) == 0;
}

bool olv_os_is_network(int fd)
{
    (void)fd;
    return false;
}

enum olv_truth olv_os_is_open_for_writing(int dir, const char *name)
{
    (void)dir;
    (void)name;
    return OLV_UNKNOWN;
}

struct olv_os_in_use *olv_os_in_use_read(void)
{
    return NULL;
}

bool olv_os_is_in_use(const struct olv_os_in_use *in_use, uint64_t device, uint64_t inode)
{
    (void)in_use;
    (void)device;
    (void)inode;
    return false;
}

bool olv_os_in_use_is_complete(const struct olv_os_in_use *in_use)
{
    (void)in_use;
    return false;
}

void olv_os_in_use_free(struct olv_os_in_use *in_use)
{
    (void)in_use;
}

/* ---- the machine ---- */

struct olv_instant olv_os_now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_REALTIME, &t);
    return instant_of(t);
}

bool olv_os_boot(char id[OLV_OS_BOOT_SIZE], int64_t *since_s)
{
    id[0] = '\0';
    *since_s = 0;
    return false;
}

enum olv_truth olv_os_clock_is_synchronised(void)
{
    return OLV_UNKNOWN;
}

unsigned olv_os_cpus(void)
{
    static atomic_uint known;
    unsigned none = 0;
    long count = 1;
    if (atomic_load(&known) > 0)
        return atomic_load(&known);
#ifdef _SC_NPROCESSORS_ONLN /* POSIX.1-2024 */
    count = sysconf(_SC_NPROCESSORS_ONLN);
#endif
    atomic_compare_exchange_strong(&known, &none, count > 0 ? (unsigned)count : 1);
    return atomic_load(&known);
}

unsigned olv_os_terminal_width(int fd)
{
#ifdef TIOCGWINSZ
    struct winsize size;
    return ioctl(fd, TIOCGWINSZ, &size) == 0 ? size.ws_col : 0;
#else
    (void)fd;
    return 0;
#endif
}

void olv_os_host_name(char *out, size_t size)
{
    if (gethostname(out, size) < 0)
        snprintf(out, size, "unknown");
    out[size - 1] = '\0';
}

bool olv_os_each_writer(uint64_t device, uint64_t inode,
                        bool (*each)(void *self, const struct olv_os_writer *writer), void *self)
{
    (void)device;
    (void)inode;
    (void)each;
    (void)self;
    return false;
}
