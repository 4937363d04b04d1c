/* SPDX-License-Identifier: Apache-2.0 */
/* The Merkle tree over the ledger's lines (RFC 9162, section 2.1), stored as 256-wide tiles and a right edge:
 * the file `hashes-L` has the hashes of level L in order, 256 per tile; an entry of level L+1 is the root of
 * a full tile of level L. The last, partial tile of each level is the right edge. */
#ifndef OLV_LEDGER_TREE_H
#define OLV_LEDGER_TREE_H

#include "base/many.h"
#include "olvido/error.h"
#include "olvido/text.h"

enum { TREE_LEVELS = 6, TILE_WIDTH = 256 }; /* 2^48 lines */

struct tree {
    uint64_t size; /* leaves */
    uint8_t edge[TREE_LEVELS][TILE_WIDTH][OLV_SHA256_SIZE];
    struct olv_text unwritten[TREE_LEVELS]; /* hashes not yet in the files */
    uint64_t written[TREE_LEVELS];          /* hashes in the files */
    bool keeps;                             /* whether unwritten hashes are kept */
    struct olv_hasher *hasher;              /* borrowed */
    struct many_hasher *many;               /* borrowed; NULL: nodes are hashed one by one */
};

void tree_leaf_hash(struct olv_hasher *hasher, const void *bytes, size_t len, uint8_t out[OLV_SHA256_SIZE]);
/* An empty tree; with `keeps` what is added can be stored. */
void tree_begin(struct tree *tree, struct olv_hasher *hasher, bool keeps);
void tree_add(struct tree *tree, const uint8_t leaf[OLV_SHA256_SIZE]);
/* The root of a full tile of 256 hashes. `many` may be NULL. */
void tree_tile_root(struct olv_hasher *hasher, struct many_hasher *many,
                    const uint8_t (*hashes)[OLV_SHA256_SIZE], uint8_t out[OLV_SHA256_SIZE]);
/* Adds 256 leaves at once by the root of their tile; the tree's size must be a multiple of 256, and it keeps
 * nothing. */
void tree_add_tile(struct tree *tree, const uint8_t root[OLV_SHA256_SIZE]);
/* The root of all leaves; of none, the digest of the empty string. */
void tree_root(const struct tree *tree, uint8_t out[OLV_SHA256_SIZE]);
void tree_end(struct tree *tree);

/* Loads the right edge of the first `size` leaves from the files in `dir`. False if they are too short. */
bool tree_load(struct tree *tree, int dir, uint64_t size, struct olv_error *err);
/* Writes what is unwritten, cuts off what follows, and fsyncs. */
bool tree_store(struct tree *tree, int dir, struct olv_error *err);

#endif
