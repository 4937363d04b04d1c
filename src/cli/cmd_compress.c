/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/shrink_to.h"

/* Skips what is already compressed in a tree. */
static bool cmd_compress_takes(const char *name)
{
    return olv_codec_of_name(name) == OLV_CODEC_NONE;
}

static bool read_codec(struct cli *cli, struct olv_manner *how)
{
    const char *words[OLV_CODEC_FILES - 1];
    int word = OLV_CODEC_ZSTD - 1;
    for (int c = OLV_CODEC_GZIP; c < OLV_CODEC_FILES; c++)
        words[c - 1] = olv_codec_word((enum olv_codec)c);
    if (!cli_word(cli, OPT_AS, words, OLV_CODEC_FILES - 1, &word))
        return false;
    how->codec = (enum olv_codec)(word + 1);
    return true;
}

static bool read_how(struct cli *cli, struct olv_manner *how)
{
    *how = (struct olv_manner){.keeps = cli_has(cli, OPT_KEEP)};
    return read_codec(cli, how) && by_hand_level(cli, how);
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
    struct olv_manner *how = &act.named.manner;
    if (!read_how(cli, how) || !by_hand_if_exists(cli, &act.named.if_exists, NULL))
        return;
    if (cli_has(cli, OPT_TO))
        shrink_to(cli, (struct olv_shrink_request){
                           .codec = how->codec, .level = how->level, .if_exists = act.named.if_exists});
    else
        by_hand(cli, &act);
}

const struct cli_command cmd_compress = {
    .name = "compress",
    .stage = "Do",
    .arguments = "PATH…",
    .summary = "Compresses files, each into a new one beside it",
    .options = {OPT_AS, OPT_LEVEL, OPT_KEEP, OPT_TO, OPT_IF_EXISTS, OPT_YES, OPT_PREVIEW},
    .run = cmd_compress_run,
};
