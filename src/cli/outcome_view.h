/* SPDX-License-Identifier: Apache-2.0 */
/* What became of each file, as it happens: for a few files, or with --verbose for all, a table; with --json a
 * line for each. */
#ifndef OLV_CLI_OUTCOME_VIEW_H
#define OLV_CLI_OUTCOME_VIEW_H

#include "cli/cli.h"

struct outcome_view {
    struct cli *cli;
    struct table *table; /* NULL: there is none */
};

/* Listens to the command's observer until it ends. */
void outcome_view_begin(struct outcome_view *view, struct cli *cli, uint64_t files);
void outcome_view_end(struct outcome_view *view);

#endif
