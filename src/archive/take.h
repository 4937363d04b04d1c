/* SPDX-License-Identifier: Apache-2.0 */
/* Taking a file into an archive: everything that a member says about it, and its data.
 *
 * What is read must be of one state, the one that was judged. So a file is looked at when it has been read; a
 * small one is read before it is looked at for the first time, and then that one look tells. */
#ifndef OLV_ARCHIVE_TAKE_H
#define OLV_ARCHIVE_TAKE_H

#include "base/arena.h"
#include "base/digest.h"
#include "file/origin.h"
#include "olvido/docket.h"
#include "olvido/member.h"

/* One file, open. */
struct taking {
    int fd;               /* of a file or directory; -1 for what is not opened */
    struct olv_stat stat; /* when it was opened, or when its `early` contents had been read */
    struct olv_member member;
    bool is_watched;
    const char
        *was; /* what it was called before Olvido's first act on it, by the note on it; NULL: the same */
    uint64_t was_bytes;
    const char *early; /* all its contents, in the room that was lent; NULL: they are still to be read */
};

/* What take_begin is lent. */
struct taking_room {
    struct olv_arena *arena; /* for strings and lists */
    char early[4096];
    bool stays;                    /* the original */
    const struct olv_notes *notes; /* the key of notes on files; NULL: none counts; borrowed */
};

/* Opens the entry in its directory, compares it with what was judged, and says what it is. `path` is what the
 * member is called. False with OLV_CHANGED, or OLV_SYSTEM. Call take_end in any case. */
bool take_begin(struct taking *taking, int dir, const struct olv_docket_entry *entry, const char *path,
                struct taking_room *room, struct olv_error *err);
/* Whether it is still what was opened. */
bool take_is_unchanged(const struct taking *taking, int dir, const struct olv_docket_entry *entry,
                       struct olv_error *err);
void take_end(struct taking *taking);

#endif
