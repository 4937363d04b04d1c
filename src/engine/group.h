/* SPDX-License-Identifier: Apache-2.0 */
/* Groups the entries of a docket as their hooks say: single, several at once, or all with the same key. */
#ifndef OLV_ENGINE_GROUP_H
#define OLV_ENGINE_GROUP_H

#include "engine/batch.h"

enum { LARGEST_GROUP = 256 };

/* Entries in memory, each with its outcome. Starts zeroed. */
struct several {
    struct olv_docket_entry entries[LARGEST_GROUP];
    struct olv_outcome outcomes[LARGEST_GROUP];
    void *made[LARGEST_GROUP];
    size_t count;
    uint64_t bytes;
};

/* Whether the entry belongs to the group. */
bool group_takes(const struct several *several, const struct olv_docket_entry *entry);
void group_add(struct several *several, const struct olv_docket_entry *entry);
/* Carries out each of them, records its outcome, and empties the group. False if the run cannot go on. */
bool group_do(struct carrying *carrying, struct several *several, struct olv_error *err);

#endif
