/* SPDX-License-Identifier: Apache-2.0 */
/* One member of an archive in a depot on its way out: made beside its place, in a file, a room or another
 * name of what is there. It has no name of its own yet; only a directory has. */
#ifndef OLV_SOURCE_DEPOT_MEMBER_H
#define OLV_SOURCE_DEPOT_MEMBER_H

#include "archive/directories.h"
#include "archive/restore.h"
#include "depot/vault.h"
#include "file/room.h"
#include "source/hooks.h"

#include <limits.h>

/* Kept for the whole run. */
struct giving {
    struct vault *vault;             /* reads archives */
    struct olv_text depot;           /* the path of the one that was judged last */
    struct directories *directories; /* what recovered directories are given in the end; NULL: none */
};

/* One entry under way. */
struct fetching {
    const struct olv_docket_entry *entry;
    const struct olv_location *location;
    struct restore_options options;
    char label[FRESH_LABEL];
    uint64_t sequence;
    struct tar_reader *reader;
    struct olv_member member; /* while it is made */
    enum olv_kind kind;
    bool has_digest, is_link;
    uint8_t digest[OLV_SHA256_SIZE]; /* of its contents, which were read */
    int dir;                         /* where it goes; -1: not known yet */
    struct fresh fresh;              /* a file; else fd is -1 */
    struct room room;                /* of what is no file; else its dir is -1 */
    char directory[PATH_MAX];
    const char *name;
    char placed[NAME_MAX + 1]; /* "" before */
    struct olv_text path;      /* where it is then */
};

struct giving *giving_of(const struct turn *turn);
/* Makes it. False where that did not work, with the result and the error in the outcome, or with the error.
 */
bool fetch(struct turn *turn, struct fetching *fetching, struct olv_outcome *outcome);
/* Whether these are the contents of the file. OLV_UNKNOWN with errno: it cannot be read. */
enum olv_truth fetch_has_contents(struct turn *turn, int fd, const uint8_t *want);
/* What was made in a room goes, and the room with it. */
void fetch_leave_room(const struct turn *turn, struct fetching *fetching);

#endif
