/* SPDX-License-Identifier: Apache-2.0 */
/* Room that is kept for a full disk: the file `reserve` of the state directory. It is given up when a run
 * cannot write its docket or the ledger for lack of room, so that what frees room never fails for lack of it.
 */
#ifndef OLV_STATE_RESERVE_H
#define OLV_STATE_RESERVE_H

#include "olvido/error.h"

/* Makes it, or makes it again, if there is room; else nothing happens. */
void reserve_fill(int state);
/* True when the error says that the disk is full and the reserve could be given up: then the error is
 * forgotten, and what failed may be tried again. */
bool reserve_use(int state, struct olv_error *err);

#endif
