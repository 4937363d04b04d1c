/* SPDX-License-Identifier: Apache-2.0 */
/* Removes exactly the file that was judged, even if somebody exchanges names in its directory between a check
 * and the act: it is first taken into a private room. One room serves all that goes from a directory in one
 * batch. */
#ifndef OLV_FILE_STAGE_H
#define OLV_FILE_STAGE_H

#include "file/fresh.h"
#include "file/room.h"
#include "file/unlink.h"
#include "olvido/observer.h"

/* Starts zeroed. */
struct stage {
    bool is_open;
    struct room room;       /* `outside` is a descriptor of its own */
    uint64_t device, inode; /* of the directory it is in */
};

/* The directory from which files are about to go. */
struct stage_place {
    int dir; /* open */
    uint64_t device, inode;
    const char *label; /* of the room: unique to the batch and directory */
};

/* Whether the room is open in this directory. */
bool stage_is_at(const struct stage *stage, const struct stage_place *place);
/* Makes the room in this directory, unless it is open; leaves another one first. False with `err`: there is
 * none. */
bool stage_enter(struct stage *stage, const struct stage_place *place, const struct olv_observer *observer,
                 struct olv_error *err);
/* Renames `name` of the directory into the room (a directory with mode 0700 that was made for it and is held
 * by descriptor) and compares it there, without ctime, which the rename changes. A different file goes back,
 * replacing nothing: false with OLV_CHANGED. If its name is taken by then, both are kept, and `err` says
 * where. */
bool stage_take(const struct stage *stage, const char *name, const struct olv_identity *identity,
                struct olv_error *err);
/* Gives it back its name. */
bool stage_return(const struct stage *stage, const char *name, struct olv_error *err);
/* Takes a file and unlinks it, after what `how` does to it (NULL: nothing). It goes back if that fails. */
bool stage_remove(const struct stage *stage, const char *name, const struct olv_identity *identity,
                  const struct unlinking *how, struct olv_error *err);
/* Removes the room; one that cannot be removed is reported to the observer. */
void stage_leave(struct stage *stage, const struct olv_observer *observer);
/* After a crash: what a cut-short run left in the room of this label goes back to its name, also if it was
 * changed since, and the room is removed. If the name is taken by now it gets a number, and the observer is
 * told. Another file stays where it is, and the observer is told: somebody may have put another directory of
 * ours in the place of the room. */
void stage_settle(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer);

#endif
