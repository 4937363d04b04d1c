/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "cli/views.h"

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
    bool is_all = is_whole && r->failed + r->refused == 0;
    olv_text_printf(&line, "%s (%s) into ", COUNT(r->done, "member", "members"), SIZE(r->bytes));
    term_name(&line, o->into);
    if (r->refused)
        olv_text_printf(&line, ", %s refused", NUMBER(r->refused));
    if (r->failed)
        olv_text_printf(&line, ", %s failed", NUMBER(r->failed));
    if (r->lost)
        olv_text_printf(&line, ", %s lost or altered", NUMBER(r->lost));
    printf("%s%s%s%s.\n", term_begin(cli, is_all ? STYLE_GOOD : STYLE_WARN),
           is_whole         ? "Done: "
           : r->reached_end ? "Not whole: "
                            : "Stopped: ",
           term_end(cli), olv_text_string(&line));
    olv_text_free(&line);
}

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
    if (cli_has(cli, OPT_JSON))
        cmd_extract_print_json(options, &result);
    else if (!cli_has(cli, OPT_QUIET))
        cmd_extract_print_people(cli, options, &result, is_whole);
    watch_print_troubles(cli);
}

static void cmd_extract_run(struct cli *cli)
{
    struct olv_extract_options options = {.into = cli_value(cli, OPT_INTO),
                                          .keeps_owners = cli_has(cli, OPT_OWNERS),
                                          .makes_devices = cli_has(cli, OPT_DEVICES)};
    struct olv_archive *archive = NULL;
    if (!options.into)
        cli_usage(cli, "say where to: --into DIRECTORY");
    else if (by_hand_if_exists(cli, &options.if_exists, NULL) &&
             cli_size(cli, OPT_MAX_SIZE, &options.most_bytes))
        archive = archive_view_open(cli, &options.filter);
    if (archive)
        extract(cli, archive, &options);
    olv_archive_close(archive);
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
