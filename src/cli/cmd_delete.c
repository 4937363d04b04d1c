/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/removing.h"

static void cmd_delete_run(struct cli *cli)
{
    struct by_hand act = {.verb = "delete",
                          .consequence = "Nothing brings it back.",
                          .nothing = "there is nothing to delete",
                          .takes_files = true,
                          .named = {.act = olv_act_named("delete")}};
    removing(cli, &act, true);
}

const struct cli_command cmd_delete = {
    .name = "delete",
    .stage = "Do",
    .arguments = "[PATH…]",
    .summary = "Deletes files, and directories with --tree, for good",
    .options = {REMOVING_OPTIONS},
    .run = cmd_delete_run,
};
