/* SPDX-License-Identifier: Apache-2.0 */
/* The index by path of a closed volume: which blocks of it have lines about a path, or about something below
 * it. docs/formats/ledger.md describes the bytes. */
#ifndef OLV_LEDGER_INDEX_H
#define OLV_LEDGER_INDEX_H

#include "ledger/files.h"

/* A line belongs to the block in which its first byte stands. */
enum { LEDGER_BLOCK = 256 * 1024 };

/* Indexes the volume that begins with line `first`, unless that was done. A failure costs speed only. */
void ledger_index_build(int dir, uint64_t first);
/* Whether the index of a closed volume is what its lines make; also where it has none, which is made anew.
 */
bool ledger_index_is_right(int dir, uint64_t first);
/* The same of all closed volumes, by all cores: which one is the first that is not right; `count` where all
 * are. False without memory. */
bool ledger_indexes_compare(int dir, const uint64_t *firsts, size_t count, size_t *wrong);
/* The blocks that may have lines about the path (spelt as in the ledger: with JSON's escapes), ascending,
 * owned by the caller. False when there is no index that fits the volume. */
bool ledger_index_find(int dir, uint64_t first, const char *path, size_t len, uint32_t **blocks,
                       size_t *count);

#endif
