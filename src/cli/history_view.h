/* SPDX-License-Identifier: Apache-2.0 */
/* Where a path that is gone went, by the ledger, the trashes and the depots. */
#ifndef OLV_CLI_HISTORY_VIEW_H
#define OLV_CLI_HISTORY_VIEW_H

#include "cli/cli.h"
#include "olvido/session.h"

#include <jansson.h>

/* Prints it, or with `json` adds it there. `is_known`: the ledger, a trash or a depot knows of it. */
bool history_show(struct cli *cli, const struct olv_session *session, const char *path, json_t *json,
                  bool *is_known, struct olv_error *err);

#endif
