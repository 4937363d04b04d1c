/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/shrink_to.h"

/* Skips what is already compressed in a tree. */
static bool cmd_compress_takes(const char *name)
{
    return olv_codec_of_name(name) == OLV_CODEC_NONE;
}

static void cmd_compress_run(struct cli *cli)
{
    struct by_hand act = {.verb = "compress",
                          .consequence = "Each original goes once its compressed copy was read back.",
                          .nothing = "there is nothing to compress",
                          .takes_files = !cli_has(cli, OPT_KEEP),
                          .named = {.kinds = 1u << OLV_KIND_FILE,
                                    .takes = cmd_compress_takes,
                                    .act = olv_act_named("compress")}};
    struct olv_arguments how;
    bool ok = by_hand_arguments(cli, act.named.act, &how) && by_hand_complete(cli, &how, NULL) &&
              by_hand_if_exists(cli, &act.named.if_exists, NULL);
    act.named.arguments = how.values;
    if (ok && cli_has(cli, OPT_TO))
        shrink_to(cli, &how, (struct olv_shrink_request){.if_exists = act.named.if_exists});
    else if (ok)
        by_hand(cli, &act);
    olv_arguments_free(&how);
}

const struct cli_command cmd_compress = {
    .name = "compress",
    .stage = "Do",
    .arguments = "PATH…",
    .summary = "Compresses files, each into a new one beside it",
    .options = {OPT_AS, OPT_LEVEL, OPT_KEEP, OPT_TO, OPT_IF_EXISTS, OPT_YES, OPT_PREVIEW},
    .run = cmd_compress_run,
};
