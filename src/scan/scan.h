/* SPDX-License-Identifier: Apache-2.0 */
/* The parallel walk of one or more trees, on directory descriptors. Links are never followed, and a walk
 * stays on the mount of its root. Threads go depth-first and give work to idle ones; a large directory is
 * shared in pieces. Memory grows with the breadth of what is pending, not with the tree. */
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
    const void *tag;                   /* the visitor's own: inherited from the parent, set in `enter` */
    void *data;                        /* the visitor's own: set on this directory's entry; NULL for a root */
    const struct olv_scan_dir *parent; /* NULL for a root */
    uint64_t serial;                   /* unique in this process, unlike an address */
    uint32_t depth;                    /* 0 for a root */
    uint32_t root;                     /* index of the root */
    bool is_complete;                  /* read to its end */
    int fd;                            /* in `enter`: the directory itself */
    size_t name_len, path_len;         /* of its name, and of its path */
    const char *name;                  /* for a root, its absolute path */
};

struct olv_scan_entry {
    const struct olv_scan_dir *dir;
    int dir_fd;
    const char *name;
    size_t name_len;
    enum olv_kind kind;
    bool has_stat; /* whether `stat` has been fetched */
    struct olv_stat stat;
    int look_error; /* errno of a failed look */
    void *data;     /* of a directory: the visitor's own, becomes `data` of its struct olv_scan_dir */
};

/* Stats the entry unless that was done. False if it cannot be examined (see errno). */
bool olv_scan_look(struct olv_scan_entry *entry);

/* Callbacks run on the walking threads; `worker` counts from 0 and never belongs to two threads at once. */
struct olv_scan_visitor {
    void *self;
    /* Before reading a directory; `stat` describes it. False: skip it. May be NULL. One that cannot be looked
     * at is reported and skipped. */
    bool (*enter)(void *self, unsigned worker, struct olv_scan_dir *dir, const struct olv_stat *stat);
    void (*visit)(void *self, unsigned worker, struct olv_scan_entry *entry);
    /* After everything in a directory has been visited and left; also for a directory that was skipped or
     * read only in part (then it is not complete). Exactly once for every visited directory. May be NULL. */
    void (*leave)(void *self, unsigned worker, struct olv_scan_dir *dir);
    /* A directory with a longer path is reported and not read; 0: all are read, however deep. */
    size_t longest_path;
};

/* How many workers a walk will use. */
unsigned olv_scan_workers(void);
/* Walks `count` absolute, canonical paths. False when interrupted or out of memory; unreadable places are
 * reported to the observer and are no failure. */
bool olv_scan(const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
              const struct olv_observer *observer, struct olv_error *err);
/* The same for one directory, by its name in an open one, on the same mount. Its paths begin with that name.
 */
bool olv_scan_in(int dir, const char *name, const struct olv_scan_visitor *visitor,
                 const struct olv_observer *observer, struct olv_error *err);

/* Between a walk and the caller's observer: counts unreadable places, and ends the walk when a worker fails.
 * Starts zeroed, except for `observer`. */
struct scan_relay {
    const struct olv_observer *observer;
    bool is_silent; /* does not report troubles: another walk does */
    uint64_t unreadable, other_mounts;
    atomic_bool has_failed;
    struct olv_error error; /* the first failure */
};
struct olv_observer scan_relay_observer(struct scan_relay *relay);
/* From any worker. NULL: out of memory. */
void scan_relay_fail(struct scan_relay *relay, const struct olv_error *err);
/* olv_scan with a relay; also accepts no paths. False also if a worker failed. */
bool scan_relayed(const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
                  struct scan_relay *relay, struct olv_error *err);

/* Appends the directory's absolute path, or its path below the root ("" for the root itself). */
void olv_scan_dir_path(const struct olv_scan_dir *dir, struct olv_text *out);
void olv_scan_dir_path_below(const struct olv_scan_dir *dir, struct olv_text *out);

#endif
