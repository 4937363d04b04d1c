/* SPDX-License-Identifier: Apache-2.0 */
/* The wall between Olvido and the operating system: the only place that knows which one it is. One file per
 * system implements all of it, and the build chooses. Functions follow the habit of system calls: -1 or
 * false, and errno. */
#ifndef OLV_OS_OS_H
#define OLV_OS_OS_H

#include "olvido/entry.h"
#include "olvido/machine.h"

#include <errno.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <sys/types.h>
#include <unistd.h>

/* ---- reaching a name without following links ---- */

/* Opens the directory at an absolute path of which no component may be a symbolic link (ELOOP, or ENOTDIR).
 */
int olv_os_open_path(const char *path);
/* Opens what a name in `dir` is, to look at it and to go on from there, and for nothing else: no right to
 * read it is needed where the system can do without. No link is followed. */
int olv_os_open_passing(int dir, const char *name);
/* Opens a directory below `dir`: one name or more, of which none may be a link or lead up. EXDEV where it
 * leads out of `dir`, or to another mount while `one_mount` is set. */
int olv_os_open_dir(int dir, const char *path, bool one_mount);
/* Looks at `name` in `dir`, links themselves; an empty name is `dir`. */
bool olv_os_stat(int dir, const char *name, struct olv_stat *out);

/* Whether this errno says that a path leads to nothing: it is gone, or a link or a file stands on the way.
 * Any other one says that it could not be looked at. */
static inline bool olv_os_is_absent(int sys)
{
    return sys == ENOENT || sys == ENOTDIR || sys == ELOOP;
}

struct olv_os_mount_facts {
    bool is_read_only;
    enum olv_truth access_times; /* whether reading a file changes its time of access, at least once a day */
};
/* What the mount behind an open directory allows. */
bool olv_os_facts_of_mount(int fd, struct olv_os_mount_facts *out);

struct olv_os_mount {
    uint64_t id;       /* as in olv_stat.mount */
    const char *point; /* where it is mounted: the directory at its top; borrowed for the call */
    const char *root;  /* which directory of its file system that is; borrowed, too */
    uint64_t device;   /* of the file system */
    bool has_files;    /* of a kind that people keep files on */
    bool is_remote;    /* kept by a program that gets it from another machine */
};
/* Calls `each` for every mount; stops when it returns false. False with errno where not all of them could be
 * read: ENOSYS where the system does not tell. */
bool olv_os_each_mount(bool (*each)(void *self, const struct olv_os_mount *mount), void *self);

/* ---- reading a directory in large pieces ---- */

struct olv_os_name {
    const char *name; /* borrowed from the buffer */
    size_t len;
    enum olv_kind kind; /* OLV_KIND_UNKNOWN where the file system does not say */
};

struct olv_os_listing {
    int dir;
    void *stream; /* the system's own */
};

/* Begins with the first entry of an open directory, which must stay open until the end. End it only if this
 * is true. */
bool olv_os_list_begin(struct olv_os_listing *listing, int dir);
/* Fills `buffer` (aligned for uint64_t, room for a name of NAME_MAX at least) with raw entries; the number of
 * bytes, 0 at the end. */
ssize_t olv_os_list_read(struct olv_os_listing *listing, void *buffer, size_t size);
/* Keeps errno. */
void olv_os_list_end(struct olv_os_listing *listing);
/* Steps through a filled buffer, leaving out "." and ".."; false at its end. `*at` starts at 0. */
bool olv_os_next_name(const void *buffer, size_t len, size_t *at, struct olv_os_name *out);

/* Closes a descriptor; -1 is none. Keeps errno. */
static inline void olv_os_close(int fd)
{
    int sys = errno;
    if (fd >= 0)
        close(fd);
    errno = sys;
}

/* ---- acting ---- */

/* Renames; fails with EEXIST where the new name is taken. */
bool olv_os_rename_new(int old_dir, const char *old_name, int new_dir, const char *new_name);
/* Exchanges two names; fails with EOPNOTSUPP where the file system or the system cannot. */
bool olv_os_exchange(int a_dir, const char *a, int b_dir, const char *b);
/* Takes the exclusive lock of this open file without waiting (EAGAIN: somebody has it). It ends with the
 * descriptor. */
bool olv_os_lock(int fd);
/* Brings everything on the file system behind `fd` to the disk, contents of files included: for many new
 * files at once. */
bool olv_os_sync_all(int fd);
/* Whether the file system behind `fd` lives on another machine. */
bool olv_os_is_network(int fd);
/* Whether somebody has the regular file open for writing. */
enum olv_truth olv_os_is_open_for_writing(int dir, const char *name);

/* The regular files that some process has open for writing right now, as far as this process may see them: a
 * quick look at all at once. Freed with olv_os_in_use_free; NULL where the system does not tell. */
struct olv_os_in_use;
struct olv_os_in_use *olv_os_in_use_read(void);
bool olv_os_is_in_use(const struct olv_os_in_use *in_use, uint64_t device, uint64_t inode);
/* Whether every process could be looked at. */
bool olv_os_in_use_is_complete(const struct olv_os_in_use *in_use);
void olv_os_in_use_free(struct olv_os_in_use *in_use);

/* ---- the machine ---- */

/* What this system, as far as it was met up to now, does in a weaker way than Linux can, in words; "" for
 * nothing. */
const char *olv_os_weaker(void);
/* How many there are for this process. Always the same answer: arrays of workers are as long as it says. */
unsigned olv_os_cpus(void);
/* Which boot this is, and the seconds since then (time asleep included). False where the system does not
 * tell. */
enum { OLV_OS_BOOT_SIZE = 64 };
bool olv_os_boot(char id[OLV_OS_BOOT_SIZE], int64_t *since_s);
/* Whether something keeps the clock synchronised. */
enum olv_truth olv_os_clock_is_synchronised(void);
void olv_os_host_name(char *out, size_t size);

#endif
