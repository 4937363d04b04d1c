/* SPDX-License-Identifier: Apache-2.0 */
/* What a batch has changed and must be durable before its outcomes: a few directories one by one, or, if
 * there are many, their file systems as a whole. Each single fsync waits for the journal; a syncfs also
 * writes what others have changed. */
#ifndef OLV_FILE_TOUCHED_H
#define OLV_FILE_TOUCHED_H

#include "olvido/entry.h"
#include "olvido/error.h"

enum { TOUCHED_FEW = 64, TOUCHED_MOST_SYSTEMS = 16 };

/* Starts zeroed. May be copied; then only one of the two may be used. */
struct touched {
    struct touched_item {
        uint64_t device, inode;
        int fd; /* owned */
    } few[TOUCHED_FEW], systems[TOUCHED_MOST_SYSTEMS];
    unsigned few_count, system_count;
};

/* Adds the open directory; the caller keeps its descriptor. If there is no room for it, it is fsynced at
 * once. */
bool touched_add(struct touched *touched, int fd, const struct olv_stat *stat, struct olv_error *err);
/* Adds everything on the descriptor's file system, including contents of files. */
bool touched_add_system(struct touched *touched, int fd, uint64_t device, struct olv_error *err);
/* The only place that decides how new files are synced: fsync each of a few, one syncfs for more. */
bool touched_is_few(size_t files);
/* Adds one of `count` new files; a few are fsynced at once. */
bool touched_add_file(struct touched *touched, int fd, uint64_t device, size_t files, struct olv_error *err);
/* Syncs everything added, and forgets it. */
bool touched_sync(struct touched *touched, struct olv_error *err);
/* Forgets it. */
void touched_free(struct touched *touched);

#endif
