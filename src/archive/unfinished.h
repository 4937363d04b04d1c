/* SPDX-License-Identifier: Apache-2.0 */
/* A note in the directory of a run about the new archive it is making: of what a crash would leave behind. */
#ifndef OLV_ARCHIVE_UNFINISHED_H
#define OLV_ARCHIVE_UNFINISHED_H

#include "olvido/error.h"

#include <limits.h>
#include <stdint.h>

struct unfinished {
    char path[PATH_MAX]; /* absolute: of the file under its temporary or its final name */
    uint64_t inode;      /* of the file; 0: it is called by its temporary name, which only a run uses */
    char temporary[NAME_MAX + 1]; /* where it is about to get its final name: that one, beside it, as long as
                                     it has it; or "" */
};

/* Replaces the note. */
bool unfinished_note(int notes, const struct unfinished *unfinished, struct olv_error *err);
void unfinished_clear(int notes);
/* False where there is none. */
bool unfinished_read(int notes, struct unfinished *out);

#endif
