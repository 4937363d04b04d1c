/* SPDX-License-Identifier: Apache-2.0 */
/* What a file was before Olvido's first act on it, noted on the file itself (an extended attribute): its rule
 * goes on judging it as that.
 *
 * Whoever can write the file can write the note, so it carries an HMAC under a key of the state directory
 * over all that it says, and over the file's present length, time of modification, inode and time of birth.
 * One that does not verify does not exist: somebody made it, or changed, copied or replaced the file. */
#ifndef OLV_FILE_ORIGIN_H
#define OLV_FILE_ORIGIN_H

#include "base/notes.h"
#include "file/attributes.h"
#include "olvido/entry.h"
#include "olvido/policy.h"

#include <limits.h>

struct origin {
    char name[NAME_MAX + 1];
    const struct olv_act *act; /* what was done to it */
    uint64_t size_bytes;
};

/* What the note is called among a file's attributes. */
#define ORIGIN_NOTE ATTRIBUTES_NOTES "origin"

/* Writes the note on an open file that has its length and times. False where that cannot be, as on a file
 * system without attributes or times of birth. */
bool origin_write(int fd, const struct origin *origin, const struct olv_notes *notes);
void origin_remove(int fd);
/* The note on a file that is as `stat` says; false where there is none that verifies. `notes` may be NULL. */
bool origin_read(int dir, const char *name, const struct olv_stat *stat, const struct olv_notes *notes,
                 struct origin *out);
/* The same of a note that has been read already. */
bool origin_verify(const void *note, size_t len, const struct olv_stat *stat, const struct olv_notes *notes,
                   struct origin *out);

#endif
