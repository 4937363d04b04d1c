/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/views.h"

static void extract(struct cli *cli, struct olv_archive *archive, const struct olv_extract_options *options)
{
    struct olv_extract_result result;
    struct olv_error err = {0};
    bool is_whole = olv_extract(archive, options, &cli->observer, &result, &err);
    watch_clear(cli);
    if (!is_whole && !*err.path)
        olv_error_at(&err, cli->arguments[0]);
    if (!is_whole)
        cli_report(cli, &err);
    if (result.failed)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (result.refused)
        cli_mark(cli, STATUS_REFUSED);
    if (is_whole && result.fitting == 0 && options->filter.count) {
        archive_view_nothing(cli);
        return;
    }
    archive_view_extracted(cli, options, &result, is_whole);
    watch_print_troubles(cli);
}

static void cmd_extract_run(struct cli *cli)
{
    struct olv_extract_options options = {.into = cli_value(cli, OPT_INTO),
                                          .keeps_owners = cli_has(cli, OPT_OWNERS),
                                          .makes_devices = cli_has(cli, OPT_DEVICES)};
    struct patterns patterns = {0};
    struct olv_archive *archive = NULL;
    if (!options.into)
        cli_usage(cli, "say where to: --into DIRECTORY");
    else if (by_hand_if_exists(cli, &options.if_exists, NULL) &&
             cli_size(cli, OPT_MAX_SIZE, &options.most_bytes))
        archive = archive_view_open(cli, &patterns, &options.filter);
    if (archive)
        extract(cli, archive, &options);
    olv_archive_close(archive);
    patterns_free(&patterns);
}

const struct cli_command cmd_extract = {
    .name = "extract",
    .stage = "Get back",
    .arguments = "ARCHIVE [PATTERN…]",
    .summary = "Extracts any archive, ours or another's, into a directory",
    .options = {OPT_INTO, OPT_IF_EXISTS, OPT_OWNERS, OPT_DEVICES, OPT_MAX_SIZE},
    .run = cmd_extract_run,
};
