/* SPDX-License-Identifier: Apache-2.0 */
/* What became of each entry that was to go into an archive, by its number in the run: kept in unnamed
 * temporary files, for there may be millions. */
#ifndef OLV_ARCHIVE_GATHERED_H
#define OLV_ARCHIVE_GATHERED_H

#include "base/digest.h"
#include "olvido/error.h"

#include <stddef.h>

struct gathered_entry {
    bool is_known; /* it was to go into an archive */
    bool is_in;    /* and it did */
    bool has_digest;
    uint8_t digest[OLV_SHA256_SIZE];
    uint32_t archive; /* which one, from 0 */
    uint64_t why;     /* for gathered_why */
};

struct gathered;
struct gathered *gathered_new(struct olv_error *err);
/* Begins another archive, for the entries from this number on. */
void gathered_begin(struct gathered *gathered, uint64_t first);
/* `why`: it is not in its archive; NULL: nothing is to be said. */
bool gathered_put(struct gathered *gathered, uint64_t sequence, const struct gathered_entry *entry,
                  const struct olv_error *why);
/* The archive begun last has got its path; or, with NULL, it failed, and so did all that was to go into it.
 */
bool gathered_end(struct gathered *gathered, const char *path, const struct olv_error *why);
/* What became of an entry. False where nothing was put; `archive` is set all the same. */
bool gathered_get(struct gathered *gathered, uint64_t sequence, struct gathered_entry *out);
/* Why it is not in its archive: code, `sys` and `what` of the error. False where that cannot be told. */
bool gathered_why(struct gathered *gathered, const struct gathered_entry *entry, struct olv_error *out);
/* The path of an archive; NULL where it failed, and then `*why` says so. */
const char *gathered_path(const struct gathered *gathered, uint32_t archive, const struct olv_error **why);
void gathered_free(struct gathered *gathered);

#endif
