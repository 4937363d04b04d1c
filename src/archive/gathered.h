/* SPDX-License-Identifier: Apache-2.0 */
/* What became of each entry for an archive, by its number in the run: kept in unnamed temporary files,
 * because there may be millions. */
#ifndef OLV_ARCHIVE_GATHERED_H
#define OLV_ARCHIVE_GATHERED_H

#include "base/digest.h"
#include "olvido/error.h"

#include <stddef.h>

struct gathered_entry {
    bool is_known; /* it was meant for an archive */
    bool is_in;    /* and is in it */
    bool has_digest;
    uint8_t digest[OLV_SHA256_SIZE];
    uint32_t archive; /* index of the archive, from 0 */
    uint64_t why;     /* for gathered_why */
};

struct gathered;
struct gathered *gathered_new(struct olv_error *err);
/* Starts another archive, for the entries from this number on. */
void gathered_begin(struct gathered *gathered, uint64_t first);
/* `why`: why it is not in its archive; NULL: nothing to say. */
bool gathered_put(struct gathered *gathered, uint64_t sequence, const struct gathered_entry *entry,
                  const struct olv_error *why);
/* Writes what was put, before the archive gets its name: from then on it is only read. */
bool gathered_store(struct gathered *gathered, struct olv_error *err);
/* The last archive has its path; or with NULL it failed, and so did everything meant for it. */
bool gathered_end(struct gathered *gathered, const char *path, const struct olv_error *why);
/* What became of an entry. False if nothing was put; `archive` is set anyway. */
bool gathered_get(struct gathered *gathered, uint64_t sequence, struct gathered_entry *out);
/* Why it is not in its archive: code, `sys` and `what` of the error. False if that cannot be read. */
bool gathered_why(struct gathered *gathered, const struct gathered_entry *entry, struct olv_error *out);
/* The path of an archive; NULL if it failed, with the reason in `*why`. */
const char *gathered_path(const struct gathered *gathered, uint32_t archive, const struct olv_error **why);
void gathered_free(struct gathered *gathered);

#endif
