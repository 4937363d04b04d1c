/* SPDX-License-Identifier: Apache-2.0 */
/* The parallel walk of one or more trees, on directory descriptors.
 *
 * Links are never followed and a walk stays on the mount of its root. Threads go depth-first and hand work to
 * idle ones; a large directory is shared in pieces. Memory grows with the breadth of what is pending, not
 * with the tree. */
#ifndef OLV_SCAN_SCAN_H
#define OLV_SCAN_SCAN_H

#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/observer.h"
#include "olvido/text.h"

#include <stdatomic.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* A directory being walked. */
struct olv_scan_dir {
    const void *tag; /* the visitor's own: inherited from the directory above, set in `enter` */
    void *data; /* the visitor's own: what it set on the entry that this directory was; NULL for a root */
    const struct olv_scan_dir *parent; /* NULL for a root */
    uint64_t serial;                   /* tells directories of this process apart, unlike an address */
    uint32_t depth;                    /* 0 for a root */
    uint32_t root;                     /* which of the roots */
    bool is_complete;                  /* read to its end */
    size_t name_len;
    const char *name; /* for a root, its absolute path */
};

struct olv_scan_entry {
    const struct olv_scan_dir *dir;
    int dir_fd;
    const char *name;
    size_t name_len;
    enum olv_kind kind;
    bool has_stat; /* whether `stat` has been fetched */
    struct olv_stat stat;
    int look_error; /* errno of a look that failed */
    void *data;     /* of a directory: the visitor's own, for `data` of struct olv_scan_dir */
};

/* Looks at the entry if that was not done yet. False when it cannot be looked at (errno says why). */
bool olv_scan_look(struct olv_scan_entry *entry);

/* Callbacks run in the walking threads; `worker` counts from 0 and is never used by two threads at once. */
struct olv_scan_visitor {
    void *self;
    /* Before a directory is read; `stat` says what it is. False: leave it out. May be NULL. One that cannot
     * be looked at is told, and left out. */
    bool (*enter)(void *self, unsigned worker, struct olv_scan_dir *dir, const struct olv_stat *stat);
    void (*visit)(void *self, unsigned worker, struct olv_scan_entry *entry);
    /* When all that is in a directory has been visited, and left; also for one that was not entered, or only
     * in part (then it is not complete). For every directory that was visited, once. May be NULL. */
    void (*leave)(void *self, unsigned worker, struct olv_scan_dir *dir);
};

/* How many workers a walk will use. */
unsigned olv_scan_workers(void);
/* Walks `count` absolute, canonical paths. False when interrupted or out of memory; what could not be read is
 * told to the observer and is no failure. */
bool olv_scan(const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
              const struct olv_observer *observer, struct olv_error *err);
/* The same of one directory, by its name in an open one; it is on the same mount. Its paths begin with that
 * name. */
bool olv_scan_in(int dir, const char *name, const struct olv_scan_visitor *visitor,
                 const struct olv_observer *observer, struct olv_error *err);

/* Between a walk and the caller's observer: counts what could not be read, and ends the walk when a worker
 * has failed. Begins zeroed but for `observer`. */
struct scan_relay {
    const struct olv_observer *observer;
    bool is_silent; /* about troubles: another walk tells them */
    uint64_t unreadable, other_mounts;
    atomic_bool has_failed;
    struct olv_error error; /* of the one who failed first */
};
struct olv_observer scan_relay_observer(struct scan_relay *relay);
/* In any worker. NULL: memory ran out. */
void scan_relay_fail(struct scan_relay *relay, const struct olv_error *err);
/* olv_scan with a relay, and of no path at all, too. False also where a worker has failed. */
bool scan_relayed(const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
                  struct scan_relay *relay, struct olv_error *err);

/* Appends the directory's absolute path, or the one below its root ("" for the root itself). */
void olv_scan_dir_path(const struct olv_scan_dir *dir, struct olv_text *out);
void olv_scan_dir_path_below(const struct olv_scan_dir *dir, struct olv_text *out);

#endif
