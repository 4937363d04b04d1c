/* SPDX-License-Identifier: Apache-2.0 */
/* What `recover` and `trash` have in common: which items are meant, and how they look. */
#ifndef OLV_CLI_ITEMS_VIEW_H
#define OLV_CLI_ITEMS_VIEW_H

#include "cli/cli.h"
#include "olvido/items.h"

/* The patterns of the arguments, --run, --since and --until. */
struct items_request {
    struct olv_item_query query;
    const char **patterns; /* owned, and so are they */
    char *into;            /* owned */
};

/* False with the status after saying what is wrong. Free it in any case. */
bool items_read_request(struct cli *cli, size_t first_argument, struct items_request *out,
                        enum cli_status *status);
void items_free_request(struct items_request *request);
/* The catalogue of depots; NULL where there is none yet. False after saying what is wrong with it. */
bool items_open_catalogue(struct cli *cli, struct olv_catalogue **out, enum cli_status *status);
/* The absolute form of a path or pattern; "." and ".." in it are worked out by their names, for what it names
 * is not there any more. Owned by the caller; NULL without memory. */
char *items_absolute(const char *pattern);

/* One object in JSON. */
void items_print_json(const struct olv_found_item *found, bool with_target);

#endif
