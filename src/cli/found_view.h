/* SPDX-License-Identifier: Apache-2.0 */
/* What can be recovered, counted and listed. */
#ifndef OLV_CLI_FOUND_VIEW_H
#define OLV_CLI_FOUND_VIEW_H

#include "cli/cli.h"
#include "cli/table.h"
#include "olvido/items.h"

struct found_view {
    struct cli *cli;
    bool shows_versions;
    bool lists;
    struct table *table;
    uint64_t found, bytes, older_versions;
};

/* For olv_items_find, with a struct found_view. */
void found_view_each(void *self, const struct olv_found_item *found);
/* Lists all that the query finds. */
enum cli_status found_view_list(struct found_view *view, struct olv_trashes *trashes,
                                struct olv_item_query *query);

#endif
