/* SPDX-License-Identifier: Apache-2.0 */
/* Removing exactly the file that was judged, also in a directory where others may put another one under its
 * name between a look and the act: it is first taken into a private room, where nobody else can. */
#ifndef OLV_FILE_STAGE_H
#define OLV_FILE_STAGE_H

#include "file/fresh.h"
#include "olvido/observer.h"

/* Renames `name` of `dir` into a directory (0700) that is made for it in `dir` and held by descriptor,
 * compares it there (without the time of its last change of state, which the rename sets), and unlinks it.
 * What is another file goes back, replacing nothing: false with OLV_CHANGED. Should its name be taken by
 * then, both are kept, and `err` says where. `label` tells the room apart: the run and the number within. A
 * room that cannot be removed again is told to the observer. */
bool stage_remove(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer, struct olv_error *err);
/* After a crash: what a run that was cut short has left in the room of this label goes back to its name, if
 * it is what was judged, and the room goes. Where its name was taken meanwhile it gets a number, and the
 * observer is told. */
void stage_settle(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer);

#endif
