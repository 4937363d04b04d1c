/* SPDX-License-Identifier: Apache-2.0 */
/* Where a path that is gone went, by the ledger and the trashes. */
#ifndef OLV_CLI_HISTORY_VIEW_H
#define OLV_CLI_HISTORY_VIEW_H

#include "cli/cli.h"
#include "olvido/trash.h"

#include <jansson.h>

/* Prints it, or with `json` adds it there. `is_known`: the ledger or a trash knows of it. `trashes` may be
 * NULL.
 */
bool history_show(struct cli *cli, struct olv_trashes *trashes, const char *path, json_t *json,
                  bool *is_known, struct olv_error *err);

#endif
