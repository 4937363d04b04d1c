/* SPDX-License-Identifier: Apache-2.0 */
/* What lies in the trashes, oldest first. */
#ifndef OLV_CLI_TRASH_VIEW_H
#define OLV_CLI_TRASH_VIEW_H

#include "cli/cli.h"
#include "olvido/items.h"

enum cli_status trash_view_show(struct cli *cli, struct olv_trashes *trashes, struct olv_item_query *query);

#endif
