/* SPDX-License-Identifier: Apache-2.0 */
/* What a file was before Olvido's first act on it, noted on the file itself (an extended attribute), so that
 * its rule goes on judging it as that. Whoever can write the file can write the note, so it carries an HMAC
 * with a key of the state directory, over everything in it and over the file's present length, modification
 * time, inode and birth time. A note that does not verify does not count: somebody forged it, or changed,
 * copied or replaced the file. */
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

/* The name of the attribute. */
#define ORIGIN_NOTE ATTRIBUTES_NOTES "origin"

/* The same as a few bytes, at most ORIGIN_PACKED, and back: false if they are none. */
enum { ORIGIN_PACKED = 8 + NAME_MAX };
size_t origin_pack(const struct origin *origin, uint8_t out[ORIGIN_PACKED]);
bool origin_unpack(const uint8_t *bytes, size_t len, const struct olv_act *act, struct origin *out);
/* Writes the note on an open file that has its final length and times. False if that is impossible, as on a
 * file system without attributes or birth times. */
bool origin_write(int fd, const struct origin *origin, const struct olv_notes *notes);
void origin_remove(int fd);
/* Reads the note on a file with this `stat`; false if none verifies. `notes` may be NULL. */
bool origin_read(int dir, const char *name, const struct olv_stat *stat, const struct olv_notes *notes,
                 struct origin *out);
/* The same for a note already read. */
bool origin_verify(const void *note, size_t len, const struct olv_stat *stat, const struct olv_notes *notes,
                   struct origin *out);

#endif
