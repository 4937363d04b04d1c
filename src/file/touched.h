/* SPDX-License-Identifier: Apache-2.0 */
/* What a batch has changed and must be on the disk before its outcomes are recorded: a few directories one by
 * one, or, where there are many, their file systems as a whole. For one by one each would wait for the
 * journal, and a whole file system holds what others have written, too. */
#ifndef OLV_FILE_TOUCHED_H
#define OLV_FILE_TOUCHED_H

#include "olvido/entry.h"
#include "olvido/error.h"

enum { TOUCHED_FEW = 64, TOUCHED_MOST_SYSTEMS = 16 };

/* Begins zeroed. May be copied: then only one of both goes on being used. */
struct touched {
    struct touched_item {
        uint64_t device, inode;
        int fd; /* owned */
    } few[TOUCHED_FEW], systems[TOUCHED_MOST_SYSTEMS];
    unsigned few_count, system_count;
};

/* Adds the open directory, whose descriptor remains the caller's. Should there be no room for it, it is
 * brought to the disk at once. */
bool touched_add(struct touched *touched, int fd, const struct olv_stat *stat, struct olv_error *err);
/* Adds everything on the file system of this descriptor, contents of files included. */
bool touched_add_system(struct touched *touched, int fd, uint64_t device, struct olv_error *err);
/* How new files come to the disk is decided here and nowhere else: a few are fsynced each, more with one
 * syncfs for all that their file system has. */
bool touched_is_few(size_t files);
/* Adds one new file of so many; of a few it is fsynced at once. */
bool touched_add_file(struct touched *touched, int fd, uint64_t device, size_t files, struct olv_error *err);
/* Brings all of it to the disk, and forgets it. */
bool touched_sync(struct touched *touched, struct olv_error *err);
/* Forgets it. */
void touched_free(struct touched *touched);

#endif
