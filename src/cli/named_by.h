/* SPDX-License-Identifier: Apache-2.0 */
/* What the command line names: arguments, --matching, --names-from, --where. */
#ifndef OLV_CLI_NAMED_BY_H
#define OLV_CLI_NAMED_BY_H

#include "cli/by_hand.h"

/* Carries out `act` on all that. */
void named_by_options(struct cli *cli, struct by_hand *act);

#endif
