/* SPDX-License-Identifier: Apache-2.0 */
#ifndef OLV_CLI_COMMANDS_H
#define OLV_CLI_COMMANDS_H

#include "cli/cli.h"

extern const struct cli_command cmd_survey, cmd_explain, cmd_check, cmd_preview, cmd_enforce, cmd_archive,
    cmd_compress, cmd_decompress, cmd_discard, cmd_delete, cmd_sweep, cmd_recover, cmd_extract, cmd_trash,
    cmd_depot, cmd_contents, cmd_audit, cmd_demo, cmd_help, cmd_protect, cmd_unprotect;

#endif
