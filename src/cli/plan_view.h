/* SPDX-License-Identifier: Apache-2.0 */
/* How a plan looks. */
#ifndef OLV_CLI_PLAN_VIEW_H
#define OLV_CLI_PLAN_VIEW_H

#include "cli/cli.h"
#include "olvido/plan.h"

/* For people or programs, as the command was asked. */
void plan_show(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
               const bool *selected);
/* The table of rules and steps, and a line below it. */
void plan_print(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
                const bool *selected);

/* What a plan could not see, said after it; the status that follows from it. */
enum cli_status plan_print_gaps(struct cli *cli, const struct olv_policy *policy,
                                const struct olv_plan *plan);

#endif
