/* SPDX-License-Identifier: Apache-2.0 */
/* The commands, in the order of the overview. */
#include "cli/commands.h"

const struct cli_command *const cli_commands[] = {
    &cmd_survey,   &cmd_explain,    &cmd_check,   &cmd_preview,   &cmd_enforce, &cmd_archive,
    &cmd_compress, &cmd_decompress, &cmd_protect, &cmd_unprotect, &cmd_discard, &cmd_delete,
    &cmd_sweep,    &cmd_recover,    &cmd_extract, &cmd_trash,     &cmd_depot,   &cmd_contents,
    &cmd_audit,    &cmd_demo,       &cmd_help,    NULL,
};

const struct cli_command *cli_find_command(struct cli *cli, const char *name)
{
    enum { MOST = sizeof cli_commands / sizeof *cli_commands - 1 };
    const char *names[MOST];
    int at;
    for (size_t i = 0; i < MOST; i++)
        names[i] = cli_commands[i]->name;
    at = cli_choose(cli, "there is no command", name, names, MOST);
    return at < 0 ? NULL : cli_commands[at];
}
