/* SPDX-License-Identifier: Apache-2.0 */
/* The hashes of lines, recomputed from the lines: the stored ones are only a copy. */
#ifndef OLV_LEDGER_LEAVES_H
#define OLV_LEDGER_LEAVES_H

#include "ledger/files.h"

/* Calls `each` with the leaves of the first `count` lines, in order, until it returns false. False with
 * `err`: OLV_BROKEN if there are fewer lines. */
bool leaves_each(int dir, uint64_t count, struct olv_hasher *hasher,
                 bool (*each)(void *self, const uint8_t leaf[OLV_SHA256_SIZE], struct olv_error *err),
                 void *self, struct olv_error *err);
/* Recomputes and stores the hashes of the first lines if their root is the one the checkpoint signs;
 * otherwise changes nothing: OLV_BROKEN. `tree` is loaded then. */
bool leaves_restore(int dir, const struct checkpoint *checkpoint, struct tree *tree, struct olv_error *err);

#endif
