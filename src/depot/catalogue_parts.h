/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the parts of the catalogue: catalogue.c opens it, life.c adds and removes archives, stored.c
 * reads. */
#ifndef OLV_DEPOT_CATALOGUE_PARTS_H
#define OLV_DEPOT_CATALOGUE_PARTS_H

#include "base/arena.h"
#include "depot/catalogue.h"
#include "os/database.h"

struct pending;

struct olv_catalogue {
    struct database base;
    /* Members that are not in the database yet; see life.c. */
    struct pending *pending; /* owned */
    size_t pending_count;
    struct olv_arena arena; /* what they point to */
    int64_t pending_archive;
};

/* Discards the waiting members. */
void catalogue_drop_pending(struct olv_catalogue *catalogue);

#endif
