/* SPDX-License-Identifier: Apache-2.0 */
/* compress and decompress with --to: one file, to another place or to standard output. */
#ifndef OLV_CLI_SHRINK_TO_H
#define OLV_CLI_SHRINK_TO_H

#include "cli/cli.h"
#include "olvido/arguments.h"
#include "olvido/shrink.h"

/* The request has everything except the paths and the arguments. */
void shrink_to(struct cli *cli, const struct olv_arguments *how, struct olv_shrink_request request);

#endif
