/* SPDX-License-Identifier: Apache-2.0 */
/* The closing line of everything that acts: what was done, what was left and why, the run, how to take it
 * back. */
#ifndef OLV_CLI_RUN_VIEW_H
#define OLV_CLI_RUN_VIEW_H

#include "cli/cli.h"
#include "olvido/run.h"

/* Act by act; `can_recover`: what was discarded or archived is found by `recover`. The status follows from
 * the result. */
enum cli_status run_print_result(struct cli *cli, const struct olv_run *run,
                                 const struct olv_run_result *result, bool can_recover);
/* Says that an earlier run was cut short, if so. */
void run_print_settled(struct cli *cli, const struct olv_run *run);

#endif
