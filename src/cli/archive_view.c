/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

struct olv_archive *archive_view_open(struct cli *cli, struct patterns *patterns,
                                      struct olv_member_filter *filter)
{
    struct olv_error err = {0};
    struct olv_archive *archive;
    if (!patterns_read(cli, PATTERNS_INSIDE, cli->arguments + 1, cli->argument_count - 1, patterns))
        return NULL;
    archive = olv_archive_open(cli->arguments[0], &err);
    *filter = (struct olv_member_filter){patterns->items, patterns->count};
    if (archive)
        watch_expect_bytes(cli, olv_archive_size(archive));
    else
        cli_report(cli, &err);
    return archive;
}

void archive_view_nothing(struct cli *cli)
{
    term_message(cli, STYLE_WARN, "nothing in the archive matches");
    cli_mark(cli, STATUS_SOME_FAILED);
}

void archive_view_describe(const struct olv_archive *archive, struct olv_text *out)
{
    static const char *const forms[] = {"tar", "zip", ""};
    enum olv_codec codec = olv_archive_codec(archive);
    const char *form = forms[olv_archive_form(archive)];
    olv_text_puts(out, form);
    if (codec != OLV_CODEC_NONE)
        olv_text_printf(out, "%spacked by %s", *form ? ", " : "", olv_codec_word(codec));
}

/* ---- what was taken out ---- */

static void archive_view_print_json(const struct olv_extract_options *o, const struct olv_extract_result *r)
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

static void archive_view_print_people(struct cli *cli, const struct olv_extract_options *o,
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

void archive_view_extracted(struct cli *cli, const struct olv_extract_options *options,
                            const struct olv_extract_result *result, bool is_whole)
{
    if (cli_has(cli, OPT_JSON))
        archive_view_print_json(options, result);
    else if (!cli_has(cli, OPT_QUIET))
        archive_view_print_people(cli, options, result, is_whole);
}
