/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/shrink_to.h"

static bool cmd_decompress_takes(const char *name)
{
    return olv_codec_of_name(name) != OLV_CODEC_NONE;
}

static void cmd_decompress_run(struct cli *cli)
{
    struct by_hand act = {.verb = "decompress",
                          .consequence = "Each compressed file goes once its contents were read back.",
                          .nothing = "there is nothing to decompress",
                          .takes_files = !cli_has(cli, OPT_KEEP),
                          .named = {.kinds = 1u << OLV_KIND_FILE,
                                    .takes = cmd_decompress_takes,
                                    .act = olv_act_named("decompress")}};
    struct olv_arguments how;
    bool ok = by_hand_arguments(cli, act.named.act, &how) && by_hand_complete(cli, &how, NULL) &&
              by_hand_if_exists(cli, &act.named.if_exists, NULL);
    act.named.arguments = how.values;
    if (ok && cli_has(cli, OPT_TO))
        shrink_to(cli, &how, (struct olv_shrink_request){.unpacks = true, .if_exists = act.named.if_exists});
    else if (ok)
        by_hand(cli, &act);
    olv_arguments_free(&how);
}

const struct cli_command cmd_decompress = {
    .name = "decompress",
    .stage = "Do",
    .arguments = "PATH…",
    .summary = "Decompresses files, each into a new one beside it",
    .options = {OPT_KEEP, OPT_TO, OPT_MAX_SIZE, OPT_IF_EXISTS, OPT_YES, OPT_PREVIEW},
    .run = cmd_decompress_run,
};
