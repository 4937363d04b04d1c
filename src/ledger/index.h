/* SPDX-License-Identifier: Apache-2.0 */
/* The index by path of a closed volume: which of its blocks have lines about a path, or about something below
 * it. docs/formats/ledger.md describes the bytes. */
#ifndef OLV_LEDGER_INDEX_H
#define OLV_LEDGER_INDEX_H

#include "ledger/files.h"

/* A line belongs to the block of its first byte. */
enum { LEDGER_BLOCK = 256 * 1024 };

/* Indexes the volume that starts with line `first`, unless it has an index. Failure only costs speed. */
void ledger_index_build(int dir, uint64_t first);
/* Whether the index of a closed volume matches its lines; a missing one is built. */
bool ledger_index_is_right(int dir, uint64_t first);
/* The same for all closed volumes, on all processors: the index of the first wrong one; `count` if there is
 * none. False without memory. */
bool ledger_indexes_compare(int dir, const uint64_t *firsts, size_t count, size_t *wrong);
/* The blocks that may have lines about the path (spelt as in the ledger, with JSON escapes), ascending; the
 * caller frees them. False if no index fits the volume. */
bool ledger_index_find(int dir, uint64_t first, const char *path, size_t len, uint32_t **blocks,
                       size_t *count);

#endif
