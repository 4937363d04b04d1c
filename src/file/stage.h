/* SPDX-License-Identifier: Apache-2.0 */
/* Removes exactly the file that was judged, even if others can exchange names in its directory between a
 * check and the act: it is first taken into a private room. */
#ifndef OLV_FILE_STAGE_H
#define OLV_FILE_STAGE_H

#include "file/fresh.h"
#include "olvido/observer.h"

/* Renames `name` of `dir` into a directory (0700) made for it in `dir` and held by descriptor, compares it
 * there (without ctime, which the rename changes), and unlinks it. A different file goes back, replacing
 * nothing: false with OLV_CHANGED. If its name is taken by then, both are kept, and `err` says where. `label`
 * is unique: the run and the number in it. A room that cannot be removed is reported to the observer. */
bool stage_remove(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer, struct olv_error *err);
/* After a crash: what a cut-short run left in the room of this label goes back to its name if it is what was
 * judged, and the room is removed. If the name is taken by now it gets a number, and the observer is told. */
void stage_settle(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer);

#endif
