/* SPDX-License-Identifier: Apache-2.0 */
/* Space kept for a full disk: the file `reserve` in the state directory. It is removed when a run cannot
 * write its docket or the ledger for lack of space, so that freeing space never fails for lack of it. */
#ifndef OLV_STATE_RESERVE_H
#define OLV_STATE_RESERVE_H

#include "olvido/error.h"

/* Creates it, or creates it again, if there is room; otherwise does nothing. */
void reserve_fill(int state);
/* True if the error says that the disk is full and the reserve could be removed: then the error is cleared,
 * and the caller may retry. */
bool reserve_use(int state, struct olv_error *err);

#endif
