/* SPDX-License-Identifier: Apache-2.0 */
/* The commands, in the order in which the overview lists them. */
#include "cli/commands.h"

#include <string.h>

const struct cli_command *const cli_commands[] = {
    &cmd_survey,   &cmd_explain,    &cmd_check,   &cmd_preview, &cmd_enforce, &cmd_archive,
    &cmd_compress, &cmd_decompress, &cmd_recover, &cmd_extract, &cmd_trash,   &cmd_depot,
    &cmd_contents, &cmd_audit,      &cmd_demo,    &cmd_help,    NULL,
};

const struct cli_command *cli_find_command(const char *name)
{
    for (size_t i = 0; cli_commands[i]; i++)
        if (strcmp(cli_commands[i]->name, name) == 0)
            return cli_commands[i];
    return NULL;
}
