/* SPDX-License-Identifier: Apache-2.0 */
/* The entries of a docket in groups, as their hooks say: one by one, several at once, or all that have one
 * key together. */
#ifndef OLV_ENGINE_GROUP_H
#define OLV_ENGINE_GROUP_H

#include "engine/batch.h"

enum { LARGEST_GROUP = 256 };

/* Entries in memory, each with what becomes of it. Begins zeroed. */
struct several {
    struct olv_docket_entry entries[LARGEST_GROUP];
    struct olv_outcome outcomes[LARGEST_GROUP];
    void *made[LARGEST_GROUP];
    size_t count;
    uint64_t bytes;
};

/* Whether the entry still belongs to it. */
bool group_takes(const struct several *several, const struct olv_docket_entry *entry);
void group_add(struct several *several, const struct olv_docket_entry *entry);
/* Has each of them done, or whatever becomes of it, and records that; empties it. False when the run cannot
 * go on. */
bool group_do(struct carrying *carrying, struct several *several, struct olv_error *err);

#endif
