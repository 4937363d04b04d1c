/* SPDX-License-Identifier: Apache-2.0 */
/* How depots look: their archives, and what verifying or rebuilding found. */
#ifndef OLV_CLI_DEPOT_VIEW_H
#define OLV_CLI_DEPOT_VIEW_H

#include "cli/cli.h"
#include "cli/table.h"
#include "olvido/depot_care.h"

struct depot_view {
    struct cli *cli;
    const char *depot;   /* NULL: all */
    struct table *table; /* NULL with --json */
    uint64_t archives, members, bytes, length;
    uint64_t faults;
    uint64_t unfinished; /* archives that are not live */
};

/* For the catalogue, with a struct depot_view. */
bool depot_view_archive(void *self, const struct olv_stored_archive *archive);
bool depot_view_unfinished(void *self, const struct olv_unfinished_archive *archive);
void depot_view_fault(void *self, const struct olv_depot_fault *fault);
/* The last line. */
void depot_view_total(const struct depot_view *view);
void depot_view_verified(struct depot_view *view, const struct olv_depot_report *report);
void depot_view_rebuilt(struct depot_view *view, const struct olv_depot_report *report);

#endif
