/* SPDX-License-Identifier: Apache-2.0 */
/* The hashes of lines, read anew from the lines themselves: those that are stored are only a copy. */
#ifndef OLV_LEDGER_LEAVES_H
#define OLV_LEDGER_LEAVES_H

#include "ledger/files.h"

/* Gives the leaves of the first `count` lines to `each`, in order; stops when it returns false. False with
 * `err`, which has OLV_BROKEN where there are fewer lines. */
bool leaves_each(int dir, uint64_t count, struct olv_hasher *hasher,
                 bool (*each)(void *self, const uint8_t leaf[OLV_SHA256_SIZE], struct olv_error *err),
                 void *self, struct olv_error *err);
/* Stores the hashes of the first lines anew, if their root is the one that the checkpoint signs; else nothing
 * is changed: OLV_BROKEN. `tree` is then as loaded. */
bool leaves_restore(int dir, const struct checkpoint *checkpoint, struct tree *tree, struct olv_error *err);

#endif
