/* SPDX-License-Identifier: Apache-2.0 */
/* Groups the entries of a docket as their hooks say: single, several at once, or all with the same key. */
#ifndef OLV_ENGINE_GROUP_H
#define OLV_ENGINE_GROUP_H

#include "engine/batch.h"

/* Entries whose copies lie beside each other; entries that go side by side (see `goes_beside`). */
enum { LARGEST_GROUP = 256, MOST_BESIDE = 1024 };

/* Entries in memory, each with its outcome. Starts zeroed. */
struct several {
    struct olv_docket_entry entries[MOST_BESIDE];
    struct olv_outcome outcomes[MOST_BESIDE];
    void *made[MOST_BESIDE];
    size_t count;
    uint64_t bytes;
};

/* Whether the entry belongs to the group. */
bool group_takes(const struct several *several, const struct olv_docket_entry *entry);
void group_add(struct several *several, const struct olv_docket_entry *entry);
/* Carries out each of them, records its outcome, and empties the group. False if the run cannot go on. */
bool group_do(struct carrying *carrying, struct several *several, struct olv_error *err);

#endif
