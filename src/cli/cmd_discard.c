/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/removing.h"

static void cmd_discard_run(struct cli *cli)
{
    struct by_hand act = {.verb = "discard",
                          .consequence = "`olvido recover` brings it back.",
                          .nothing = "there is nothing to discard",
                          .takes_files = true,
                          .named = {.act = olv_act_named("discard")}};
    removing(cli, &act, false);
}

const struct cli_command cmd_discard = {
    .name = "discard",
    .stage = "Do",
    .arguments = "[PATH…]",
    .summary = "Discards files and directories into the trash, from where they can be recovered",
    .options = {REMOVING_OPTIONS},
    .run = cmd_discard_run,
};
