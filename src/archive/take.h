/* SPDX-License-Identifier: Apache-2.0 */
/* Takes a file into an archive: all its metadata, and its data. Everything read must belong to one state, the
 * one that was judged. So a file is checked after reading; a small one is read before its first stat, which
 * then decides alone. */
#ifndef OLV_ARCHIVE_TAKE_H
#define OLV_ARCHIVE_TAKE_H

#include "base/arena.h"
#include "base/digest.h"
#include "file/origin.h"
#include "olvido/docket.h"
#include "olvido/member.h"

/* One open file. */
struct taking {
    int fd;               /* of a file or directory; -1 for what is not opened */
    struct olv_stat stat; /* from when it was opened, or its `early` contents were read */
    struct olv_member member;
    bool is_watched;
    const char *was; /* its name before Olvido's first act on it, by its note; NULL: the same */
    uint64_t was_bytes;
    const char *early; /* all its contents, in borrowed room; NULL: not read yet */
};

/* What take_begin borrows. */
struct taking_room {
    struct olv_arena *arena; /* for strings and lists */
    char early[4096];
    bool stays;                    /* the original stays */
    const struct olv_notes *notes; /* the key for notes on files; NULL: none counts; borrowed */
};

/* Opens the entry in its directory, compares it with what was judged, and fills the member. `path` is the
 * member's. False with OLV_CHANGED or OLV_SYSTEM. Call take_end in any case. */
bool take_begin(struct taking *taking, int dir, const struct olv_docket_entry *entry, const char *path,
                struct taking_room *room, struct olv_error *err);
/* Whether it is still what was opened. */
bool take_is_unchanged(const struct taking *taking, int dir, const struct olv_docket_entry *entry,
                       struct olv_error *err);
void take_end(struct taking *taking);

#endif
