/* SPDX-License-Identifier: Apache-2.0 */
/* One member of an archive on its way out of a depot, made beside its destination: in a fresh file, in a
 * room, or as another name of an existing file. It is not published yet, unless it is a directory. */
#ifndef OLV_SOURCE_DEPOT_MEMBER_H
#define OLV_SOURCE_DEPOT_MEMBER_H

#include "archive/directories.h"
#include "archive/restore.h"
#include "depot/vault.h"
#include "file/room.h"
#include "source/proven.h"

/* Kept for the whole run. */
struct giving {
    struct vault *vault;             /* reads archives */
    struct olv_text depot;           /* path of the depot last judged */
    struct directories *directories; /* attributes to give recovered directories at the end; NULL: none */
};

/* One entry in progress. */
struct fetching {
    struct proven new; /* first member */
    const struct olv_docket_entry *entry;
    const struct olv_location *location;
    struct restore_options options;
    char label[FRESH_LABEL];
    uint64_t sequence;
    struct tar_reader *reader;
    struct olv_member member; /* while making it */
    enum olv_kind kind;
    bool has_digest, is_link;
    uint8_t digest[OLV_SHA256_SIZE]; /* of the contents read */
    int dir;                         /* the destination directory; -1: not open yet */
    struct fresh fresh;              /* for a file; else its fd is -1 */
    struct room room;                /* for anything else; else its dir is -1 */
    const char *name;
};

struct giving *giving_of(const struct turn *turn);
/* Makes it. False on failure, with the result and error in the outcome, or with the error only. */
bool fetch(struct turn *turn, struct fetching *fetching, struct olv_outcome *outcome);
/* Removes what was made in a room, and the room. */
void fetch_leave_room(const struct turn *turn, struct fetching *fetching);

#endif
