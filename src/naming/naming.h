/* SPDX-License-Identifier: Apache-2.0 */
/* What the files of this folder share while names become a docket. */
#ifndef OLV_NAMING_NAMING_H
#define OLV_NAMING_NAMING_H

#include "base/grow.h"
#include "olvido/named.h"
#include "olvido/sorter.h"
#include "scan/scan.h"

#include <pthread.h>
#include <stdatomic.h>

/* Paths, all owned. Starts zeroed. */
struct paths {
    char **items;
    size_t count, cap;
};
/* Takes `path` over; false without memory, or if it is NULL. */
bool paths_add(struct paths *paths, char *path, struct olv_error *err);
void paths_free(struct paths *paths);
/* Sorts them, which paths_have needs. */
void paths_sort(struct paths *paths);
bool paths_have(const struct paths *paths, const char *path);

/* A directory that something is in. */
struct place {
    struct olv_text typed; /* as it was typed; the last one is kept, because names often share it */
    char *path;            /* owned; canonical */
    int fd;                /* -1: there is none */
    struct olv_stat stat;
    bool is_guarded;
    const char *special;   /* what it is, if nobody empties it lightly; else NULL */
    const char *why_left;  /* why nothing in it can go; NULL: it can */
    int sys;               /* errno of that, or 0 */
    struct olv_text words; /* scratch */
};

struct naming {
    const struct olv_named_options *options;
    struct scan_relay relay;
    uint32_t own; /* the effective user */
    struct olv_named *out;
    struct olv_sorter *sorter;
    struct olv_instant *ages; /* of the statement */
    struct place place;
    struct paths trees;           /* canonical: directories to go through, entry by entry */
    bool *keeps_root;             /* of each of them: something in it stays */
    struct olv_text *root_states; /* of each that is swept: what it takes to make it again */
    struct paths wholes; /* canonical: directories that go whole; what else is named in them goes along */
    struct paths
        full; /* canonical: directories in which something is named, and which nobody empties lightly */
    struct paths *seen; /* one for each of `full`: the names in them that are not hidden */
    struct name_worker {
        uint64_t serial; /* of the directory described below; 0: none */
        struct place dir;
        struct olv_text record, path;
        struct olv_expr_scratch *scratch;
    } * workers;
    pthread_mutex_t mutex; /* guards what threads tell */
    atomic_ulong guarded, left;
};

/* What is known of one name. Follows the directory's path and the name in a record. */
struct found {
    struct olv_identity identity;
    uint64_t links;
    struct olv_directory_id at;
    struct olv_contents contents;
    bool is_readonly, is_others, is_emptied;
};

/* ---- named.c ---- */

/* From any thread: why something that is named, or in it, is not taken. */
void naming_trouble(struct naming *n, const char *path, const char *what, int sys);
void naming_left(struct naming *n, const char *path, const char *why, int sys);
void naming_tell(struct naming *n, const char *path, const char *what, int sys);
/* `state`: of a directory that is swept, what it takes to make it again; else "". */
bool naming_add(struct naming *n, struct olv_text *record, const char *directory, const char *name,
                const char *state, const struct found *found, struct olv_error *err);
struct found found_of(const struct naming *n, const struct olv_stat *dir, const struct olv_stat *stat);

/* ---- name.c ---- */

/* One name as typed. False with `err` if nothing more can be done. */
bool name_take(struct naming *n, const char *typed, struct olv_error *err);

/* ---- obstacles.c ---- */

/* What a directory's own state says of all that is in it. */
void place_examine(struct naming *n, struct place *place);
/* Why this name stays, in words that last until the next time; NULL: nothing is known against it. `sys` gets
 * an errno, or 0. */
const char *why_it_stays(struct naming *n, struct place *place, const char *path, const struct olv_stat *stat,
                         int *sys);
/* The same for what only changes attributes: guards alone keep it. */
const char *why_guarded(const struct naming *n, struct place *place, const char *path,
                        const struct olv_stat *stat);
/* Sums up a directory that goes whole; false with what is in the way, and where. */
bool naming_sum_up(struct naming *n, const struct place *place, const char *path, const char *name,
                   struct olv_contents *out, struct olv_text *where, struct olv_error *err);

/* The same of the directory of an entry that a walk has found: it is in `worker->dir` afterwards. */
bool place_of_entry(struct naming *n, struct name_worker *worker, const struct olv_scan_entry *entry,
                    struct olv_error *err);

/* ---- tree.c ---- */

/* Everything in the trees. */
bool trees_take(struct naming *n, struct olv_error *err);

/* ---- above.c ---- */

/* The directories above a path that is marked, up to the first that is guarded. */
bool above_take(struct naming *n, const char *path, struct olv_error *err);

/* ---- sweeping.c ---- */

/* What is empty in the trees, or will be. */
bool sweeping_take(struct naming *n, struct olv_error *err);

/* ---- matching.c ---- */

/* The names that fit the patterns, sorted. */
bool matching_find(struct naming *n, const char *const *bases, size_t count, struct paths *out,
                   struct olv_error *err);

/* ---- everything.c ---- */

/* What makes a directory one that nobody empties lightly; NULL: nothing. */
const char *everything_special(const struct naming *n, const struct place *place);
/* Notes a name that goes; then, when all are known, whether it was everything. */
bool everything_note(struct naming *n, const struct place *place, const char *name, struct olv_error *err);
bool everything_find(struct naming *n, struct olv_error *err);

#endif
