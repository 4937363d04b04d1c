/* SPDX-License-Identifier: Apache-2.0 */
/* Which step a file has had, where that cannot be noted on the file itself. */
#ifndef OLV_DEPOT_HAD_H
#define OLV_DEPOT_HAD_H

#include "depot/catalogue.h"

struct catalogue_had {
    const char *path; /* absolute */
    const struct olv_act *act;
    uint64_t size_bytes; /* both as they are now: what somebody has changed has had nothing */
    struct olv_instant modified;
    const char *was_name; /* before the act; "" where the act left it as it was */
    uint64_t was_bytes;
};

/* What a batch is to remember, in memory. Begins zeroed. */
struct had_list {
    struct catalogue_had *items; /* owned; strings are the arena's */
    size_t count, cap;
    struct olv_arena *arena; /* owned */
};
bool had_list_add(struct had_list *list, const struct catalogue_had *had);
/* Brings all of it to the disk in one transaction, and empties the list. */
bool had_list_store(struct had_list *list, struct olv_catalogue *catalogue, struct olv_error *err);
void had_list_free(struct had_list *list);

/* Whether it has had that step, and what it was called before ("": the same). Without an act: whether it had
 * another name before any, which `had->act` becomes. `had->was_name` is not read. */
bool catalogue_find_had(struct olv_catalogue *catalogue, struct catalogue_had *had,
                        char was_name[NAME_MAX + 1], uint64_t *was_bytes);

#endif
