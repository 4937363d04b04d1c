/* SPDX-License-Identifier: Apache-2.0 */
/* The operating system behind one wall: nothing else knows which one it is. Each system implements all of it,
 * and the build chooses. Functions behave like system calls: -1 or false, and errno. */
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

/* Opens the directory at an absolute path, however long; no component may be a symbolic link (ELOOP or
 * ENOTDIR). */
int olv_os_open_path(const char *path);
/* Opens the directory around an open one, not to be read. */
int olv_os_open_above(int dir);
/* Opens a name in `dir` only to stat it and to go on from there: needs no read permission if the system can
 * do that. Does not follow a link. */
int olv_os_open_passing(int dir, const char *name);
/* Opens a directory below `dir`: one or more names, however many, none of them a link or "..". EXDEV if it
 * leads out of `dir`, or with `one_mount` to another mount. */
int olv_os_open_dir(int dir, const char *path, bool one_mount);
/* Whether reading this open directory leaves its access time as it is. */
bool olv_os_leaves_access_time(int fd);
/* Stats `name` in `dir` (links themselves); an empty name is `dir`. */
bool olv_os_stat(int dir, const char *name, struct olv_stat *out);
/* Stats what lies at an absolute path, however long. */
bool olv_os_stat_path(const char *path, struct olv_stat *out);

/* Whether this errno says that a path leads to nothing: it is missing, or a link or a file is on the way.
 * With any other errno it could not be looked at. */
static inline bool olv_os_is_absent(int sys)
{
    return sys == ENOENT || sys == ENOTDIR || sys == ELOOP;
}

/* Whether it says nothing about the path: descriptors or memory ran out, or the disk failed. */
static inline bool olv_os_is_exhausted(int sys)
{
    return sys == EMFILE || sys == ENFILE || sys == ENOMEM || sys == EIO;
}

struct olv_os_mount_facts {
    bool is_read_only;
    enum olv_truth access_times; /* whether reading a file changes its access time, at least once a day */
};
/* What the mount of an open directory allows. */
bool olv_os_facts_of_mount(int fd, struct olv_os_mount_facts *out);

struct olv_os_mount {
    uint64_t id;       /* as in olv_stat.mount */
    const char *point; /* the mount point; valid during the call */
    const char *root;  /* the mounted directory of its file system; valid during the call */
    uint64_t device;   /* of the file system */
    bool has_files;    /* of a type that people keep files on */
    bool is_remote;    /* a user-space file system whose data is on another machine */
};
/* Calls `each` for every mount until it returns false. False with errno if not all could be read: ENOSYS if
 * the system does not tell. */
bool olv_os_each_mount(bool (*each)(void *self, const struct olv_os_mount *mount), void *self);

/* ---- reading a directory in large pieces ---- */

struct olv_os_name {
    const char *name; /* borrowed from the buffer */
    size_t len;
    enum olv_kind kind; /* OLV_KIND_UNKNOWN if the file system does not say */
};

struct olv_os_listing {
    int dir;
    void *stream; /* for the system's own use */
};

/* Starts at the first entry of an open directory, which must stay open until the end. Call olv_os_list_end
 * only if this is true. */
bool olv_os_list_begin(struct olv_os_listing *listing, int dir);
/* Fills `buffer` (aligned for uint64_t, with room for a NAME_MAX name) with raw entries; returns the number
 * of bytes, 0 at the end. */
ssize_t olv_os_list_read(struct olv_os_listing *listing, void *buffer, size_t size);
/* Keeps errno. */
void olv_os_list_end(struct olv_os_listing *listing);
/* Steps through a filled buffer, skipping "." and ".."; false at its end. `*at` starts at 0. */
bool olv_os_next_name(const void *buffer, size_t len, size_t *at, struct olv_os_name *out);

/* Closes a descriptor; does nothing with -1. Keeps errno. */
static inline void olv_os_close(int fd)
{
    int sys = errno;
    if (fd >= 0)
        close(fd);
    errno = sys;
}

/* ---- acting ---- */

/* Renames in one step; EEXIST if the new name is taken; EOPNOTSUPP if the system or the file system cannot.
 */
bool olv_os_rename_once(int old_dir, const char *old_name, int new_dir, const char *new_name);
/* The same, if need be by link and unlink: a crash in between leaves both names. */
bool olv_os_rename_new(int old_dir, const char *old_name, int new_dir, const char *new_name);
/* Exchanges two names; EOPNOTSUPP if the file system or the system cannot. */
bool olv_os_exchange(int a_dir, const char *a, int b_dir, const char *b);
/* Takes the exclusive lock of this open file without waiting (EAGAIN: somebody has it). It ends with the
 * descriptor. */
bool olv_os_lock(int fd);
/* Whether somebody else has that lock; it is not taken. */
bool olv_os_is_locked(int fd);
/* Syncs the whole file system of `fd`, including contents of files: for many new files at once. */
bool olv_os_sync_all(int fd);
/* Whether the file system of `fd` is on another machine. */
bool olv_os_is_network(int fd);
/* Whether somebody has the regular file open for writing. */
enum olv_truth olv_os_is_open_for_writing(int dir, const char *name);

/* The regular files that any process has open for writing right now, as far as this process may see: one
 * quick look for all. Free with olv_os_in_use_free; NULL if the system does not tell. */
struct olv_os_in_use;
struct olv_os_in_use *olv_os_in_use_read(void);
bool olv_os_is_in_use(const struct olv_os_in_use *in_use, uint64_t device, uint64_t inode);
/* Whether every process could be examined. */
bool olv_os_in_use_is_complete(const struct olv_os_in_use *in_use);
void olv_os_in_use_free(struct olv_os_in_use *in_use);

/* One open descriptor of a process. */
struct olv_os_writer {
    int64_t process;
    const char *program; /* valid during the call */
    bool appends;        /* everything it writes goes to the end */
};
/* Calls `each` for every descriptor that is open for writing on this file, until it returns false. False if
 * not every process could be examined, or `each` stopped. */
bool olv_os_each_writer(uint64_t device, uint64_t inode,
                        bool (*each)(void *self, const struct olv_os_writer *writer), void *self);

/* ---- the machine ---- */

/* What this system, as far as seen until now, does in a weaker way than Linux can, in words; "" for nothing.
 */
const char *olv_os_weaker(void);
/* Adds to that: something was unlinked where it lies, because its project fits into no directory there. */
void olv_os_note_other_project(void);
/* The number of processors for this process. Always the same answer, because arrays of workers have that
 * length. */
unsigned olv_os_cpus(void);
/* The id of this boot, and the seconds since then (including sleep). False if the system does not tell. */
enum { OLV_OS_BOOT_SIZE = 64 };
bool olv_os_boot(char id[OLV_OS_BOOT_SIZE], int64_t *since_s);
/* Whether something keeps the clock synchronised. */
enum olv_truth olv_os_clock_is_synchronised(void);
void olv_os_host_name(char *out, size_t size);

#endif
