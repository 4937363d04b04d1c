/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/shrink_to.h"

static bool takes(const char *name)
{
    return olv_codec_of_name(name) != OLV_CODEC_NONE;
}

static enum cli_status run(struct cli *cli)
{
    struct by_hand act = {.verb = "decompress",
                          .consequence = "Each compressed file goes once its contents were read back.",
                          .nothing = "there is nothing to decompress",
                          .takes_files = !cli_has(cli, OPT_KEEP),
                          .named = {.kinds = 1u << OLV_KIND_FILE,
                                    .takes = takes,
                                    .act = olv_act_named("decompress"),
                                    .manner = {.keeps = cli_has(cli, OPT_KEEP)}}};
    enum cli_status status = STATUS_DONE;
    if (!by_hand_if_exists(cli, &act.named.if_exists, &status) ||
        (cli_has(cli, OPT_MAX_SIZE) && !cli_size(cli, OPT_MAX_SIZE, &act.named.manner.most_bytes, &status)))
        return status;
    if (cli_has(cli, OPT_TO))
        return shrink_to(cli, (struct olv_shrink_request){.unpacks = true,
                                                          .most_bytes = act.named.manner.most_bytes,
                                                          .if_exists = act.named.if_exists});
    return by_hand(cli, &act);
}

static const enum cli_option options[] = {OPT_KEEP, OPT_TO,      OPT_MAX_SIZE, OPT_IF_EXISTS,
                                          OPT_YES,  OPT_PREVIEW, OPT_NONE};

const struct cli_command cmd_decompress = {
    .name = "decompress",
    .stage = "Do",
    .arguments = "PATH…",
    .summary = "Takes compressed files back to what they were",
    .help =
        "Knows gzip, bzip2, xz and zstd by what is in the file, several parts one behind the other included. "
        "Of a directory all\n"
        "files with such a suffix are taken. The new file gets the name without the suffix; .tgz, .tbz2, "
        ".txz "
        "and .tzst become\n"
        ".tar. Times, mode, owner, access control lists and extended attributes stay.\n"
        "Every checksum is checked, and the compressed file goes only after the new one was brought to the "
        "disk, read back and\n"
        "compared; --keep leaves it. A damaged file is named, stays, and leaves nothing half-written.\n"
        "--max-size SIZE gives up what would become larger. Without it, what becomes more than a thousand "
        "times as large, and\n"
        "more than 1 GiB, is given up: no honest file does.\n"
        "--to FILE writes there, --to - to standard output; the compressed file stays then.\n",
    .options = options,
    .least = 1,
    .most = 100000,
    .run = run,
};
