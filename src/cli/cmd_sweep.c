/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"

static void cmd_sweep_run(struct cli *cli)
{
    struct by_hand act = {.verb = "sweep",
                          .consequence = "`olvido recover --run` makes them again.",
                          .nothing = "there is no empty directory",
                          .takes_files = true,
                          .paths = cli->arguments,
                          .path_count = cli->argument_count,
                          .named = {.act = olv_act_named("sweep"),
                                    .kinds = ~0u,
                                    .is_removed = true,
                                    .directories = OLV_EMPTY_DIRECTORIES,
                                    .upwards = cli_has(cli, OPT_UPWARDS)}};
    by_hand(cli, &act);
}

const struct cli_command cmd_sweep = {
    .name = "sweep",
    .stage = "Do",
    .arguments = "PATH…",
    .summary = "Removes empty directories, from the bottom up",
    .options = {OPT_UPWARDS, OPT_EACH, OPT_YES, OPT_COUNT_TYPED, OPT_PREVIEW},
    .run = cmd_sweep_run,
};
