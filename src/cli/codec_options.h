/* SPDX-License-Identifier: Apache-2.0 */
/* --as and --level. */
#ifndef OLV_CLI_CODEC_OPTIONS_H
#define OLV_CLI_CODEC_OPTIONS_H

#include "cli/cli.h"
#include "olvido/docket.h"

/* Reads the level that was asked for, in the range of `how->codec`. */
bool codec_read_level(struct cli *cli, struct olv_manner *how, enum cli_status *status);

#endif
