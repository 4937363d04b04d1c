/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/archive_view.h"
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/quantity.h"

static void cmd_extract_print_json(const struct olv_extract_options *o, const struct olv_extract_result *r)
{
    json_t *json = json_object();
    olv_json_name(json, "into", o->into);
    olv_json_number(json, "done", r->done);
    olv_json_number(json, "done_size", r->bytes);
    olv_json_number(json, "refused", r->refused);
    olv_json_number(json, "failed", r->failed);
    olv_json_number(json, "lost", r->lost);
    cli_print_json(json);
}

static void cmd_extract_print_people(struct cli *cli, const struct olv_extract_options *o,
                                     const struct olv_extract_result *r, bool is_whole)
{
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    bool is_all = is_whole && r->failed + r->refused == 0;
    term_count(&line, r->done, "member", "members");
    olv_text_printf(&line, " (%s) into ", olv_size_format(r->bytes, size));
    term_name(&line, o->into);
    if (r->refused)
        olv_text_printf(&line, ", %llu refused", (unsigned long long)r->refused);
    if (r->failed)
        olv_text_printf(&line, ", %llu failed", (unsigned long long)r->failed);
    if (r->lost)
        olv_text_printf(&line, ", %llu lost or altered", (unsigned long long)r->lost);
    printf("%s%s%s%s.\n", term_begin(cli, is_all ? STYLE_GOOD : STYLE_WARN),
           is_whole         ? "Done: "
           : r->reached_end ? "Not whole: "
                            : "Stopped: ",
           term_end(cli), olv_text_string(&line));
    olv_text_free(&line);
}

static enum cli_status extract(struct cli *cli, struct olv_archive *archive,
                               const struct olv_extract_options *options)
{
    struct olv_extract_result result;
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    bool is_whole = olv_extract(archive, options, &cli->observer, &result, &err);
    watch_clear(cli);
    if (!is_whole && !*err.path)
        olv_error_at(&err, cli->arguments[0]);
    if (!is_whole)
        status = cli_report(cli, &err);
    if (is_whole && result.fitting == 0 && options->filter.count) {
        term_message(cli, STYLE_WARN, "the archive has nothing that fits");
        return STATUS_SOME_FAILED;
    }
    if (cli_has(cli, OPT_JSON))
        cmd_extract_print_json(options, &result);
    else if (!cli_has(cli, OPT_QUIET))
        cmd_extract_print_people(cli, options, &result, is_whole);
    watch_print_troubles(cli);
    if (result.failed)
        status = cli_worse(status, STATUS_SOME_FAILED);
    return result.refused ? cli_worse(status, STATUS_REFUSED) : status;
}

static enum cli_status cmd_extract_run(struct cli *cli)
{
    struct olv_extract_options options = {.into = cli_value(cli, OPT_INTO),
                                          .keeps_owners = cli_has(cli, OPT_OWNERS),
                                          .makes_devices = cli_has(cli, OPT_DEVICES)};
    enum cli_status status = STATUS_DONE;
    struct olv_archive *archive;
    if (!options.into)
        return cli_usage(cli, "say where to: --into DIRECTORY");
    if (!by_hand_if_exists(cli, &options.if_exists, &status) ||
        (cli_has(cli, OPT_MAX_SIZE) && !cli_size(cli, OPT_MAX_SIZE, &options.most_bytes, &status)))
        return status;
    archive = archive_view_open(cli, &options.filter, &status);
    if (archive)
        status = extract(cli, archive, &options);
    olv_archive_close(archive);
    return status;
}

static const enum cli_option options[] = {OPT_INTO,    OPT_IF_EXISTS, OPT_OWNERS,
                                          OPT_DEVICES, OPT_MAX_SIZE,  OPT_NONE};

const struct cli_command cmd_extract = {
    .name = "extract",
    .stage = "Get back",
    .arguments = "ARCHIVE [PATTERN…]",
    .summary = "Takes any archive apart, ours or another's, into a directory",
    .options = options,
    .least = 1,
    .most = 4096,
    .run = cmd_extract_run,
};
