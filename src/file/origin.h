/* SPDX-License-Identifier: Apache-2.0 */
/* What a file was before Olvido's first act on it, noted on the file itself (an extended attribute): its rule
 * goes on judging it as that. The note counts as long as nobody else has changed the contents, which shows in
 * the time of modification. */
#ifndef OLV_FILE_ORIGIN_H
#define OLV_FILE_ORIGIN_H

#include "olvido/error.h"
#include "olvido/member.h"
#include "olvido/policy.h"

#include <limits.h>

struct origin {
    char name[NAME_MAX + 1];
    enum olv_act_id act; /* what was done to it */
    uint64_t size_bytes;
    struct olv_instant modified;
};

/* Writes the note on an open file. `label` tells which entry of which run. False where that cannot be. */
bool origin_write(int fd, const struct origin *origin, const char *label);
/* Whether exactly this note is on the file. */
bool origin_is(int fd, const struct origin *origin, const char *label);
void origin_remove(int fd);
/* The note on a file that was last modified then; false where there is none that counts. */
bool origin_read(int dir, const char *name, struct olv_instant modified, struct origin *out);
/* The same for a member of an archive. */
bool origin_of_member(const struct olv_member *member, struct origin *out);

#endif
