/* SPDX-License-Identifier: Apache-2.0 */
/* How lines of the ledger look, and what verifying it found. */
#ifndef OLV_CLI_LEDGER_VIEW_H
#define OLV_CLI_LEDGER_VIEW_H

#include "cli/cli.h"
#include "cli/table.h"
#include "olvido/ledger.h"

struct ledger_view {
    struct cli *cli;
    struct table *table; /* NULL with --json */
    uint64_t shown, limit;
};

/* For olv_ledger_search, with a struct ledger_view. */
bool ledger_view_record(void *self, const struct olv_ledger_record *record);
void ledger_view_report(const struct cli *cli, const struct olv_ledger_report *report);

#endif
