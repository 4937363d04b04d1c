/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/views.h"
#include "olvido/machine.h"

struct request {
    struct olv_survey_options options;
    struct survey_view view;
    struct olv_expr *where;
    struct olv_duration older, newer;
};

/* ---- what is asked for ---- */

static bool read_kinds(struct cli *cli, struct request *r)
{
    const char *words[OLV_KIND_DEVICE];
    for (unsigned k = OLV_KIND_FILE; k <= OLV_KIND_DEVICE; k++)
        words[k - 1] = olv_kind_word((enum olv_kind)k);
    for (size_t i = 0; i < cli->options[OPT_KIND].count; i++) {
        int kind =
            cli_choose(cli, "there is no kind", cli->options[OPT_KIND].values[i], words, OLV_KIND_DEVICE);
        if (kind < 0)
            return false;
        r->options.kinds |= 1u << (OLV_KIND_FILE + kind);
    }
    return true;
}

static bool read_where(struct cli *cli, struct request *r)
{
    struct olv_diagnostics list = {0};
    const char *text = cli_value(cli, OPT_WHERE);
    if (!text)
        return true;
    r->options.where = r->where = olv_expr_compile(text, NULL, &list);
    if (!r->where) {
        cli_print_diagnostics(cli, "--where", &list);
        cli_mark(cli, STATUS_USAGE);
    }
    olv_diagnostics_free(&list);
    return r->where != NULL;
}

static bool read_order(struct cli *cli, struct request *r)
{
    static const char *const orders[] = {"age", "size", "path", "owner", "-age", "-size", "-path", "-owner"};
    static const char *const clocks[] = {"modified", "accessed", "changed", "born"};
    int word = cli_has(cli, OPT_SORT) ? cli_word(cli, OPT_SORT, orders, 8) : 0;
    int clock = cli_has(cli, OPT_CLOCK) ? cli_word(cli, OPT_CLOCK, clocks, 4) : 0;
    r->options.order = (enum olv_survey_order)(word % 4);
    r->options.is_reversed = word >= 4;
    r->options.clock = r->view.clock = (enum olv_clock)clock;
    return word >= 0 && clock >= 0 &&
           (!cli_has(cli, OPT_LIMIT) || cli_number(cli, OPT_LIMIT, &r->view.limit));
}

static bool read_age(struct cli *cli, enum cli_option option, struct olv_duration *age,
                     const struct olv_duration **out)
{
    *out = cli_has(cli, option) ? age : NULL;
    return !*out || cli_duration(cli, option, age);
}

static bool read_options(struct cli *cli, struct request *r)
{
    r->options.now = r->view.now = olv_os_now();
    if (cli_has(cli, OPT_FORMAT) && !(r->view.format = template_new(cli, cli_value(cli, OPT_FORMAT))))
        return false;
    r->options.wants_list =
        cli_has(cli, OPT_LIST) || cli_has(cli, OPT_SORT) || cli_has(cli, OPT_LIMIT) || r->view.format;
    return read_where(cli, r) && read_order(cli, r) &&
           read_age(cli, OPT_OLDER_THAN, &r->older, &r->options.older_than) &&
           read_age(cli, OPT_NEWER_THAN, &r->newer, &r->options.newer_than) && read_kinds(cli, r);
}

/* ---- */

static void print(struct cli *cli, struct olv_survey *survey, const struct request *r, struct olv_error *err)
{
    watch_clear(cli);
    if (cli_has(cli, OPT_JSON) && r->options.wants_list)
        survey_print_json_list(survey, &r->view, err);
    else if (cli_has(cli, OPT_JSON))
        survey_print_json(survey, &r->view, survey->troubles);
    else if (r->options.wants_list)
        survey_print_list(cli, survey, &r->view, err);
    else
        survey_print(cli, survey, &r->view);
    if (!cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET) && !r->view.format)
        survey_print_total(survey, &r->view);
}

static void cmd_survey_make(struct cli *cli, struct request *r)
{
    const char *const here[] = {"."}, *const *paths = cli->argument_count ? cli->arguments : here;
    size_t count = cli->argument_count ? cli->argument_count : 1;
    struct olv_survey survey = {0};
    struct olv_error err = {0};
    if (olv_survey_make(&survey, paths, count, &r->options, &cli->observer, &err) && survey.roots)
        print(cli, &survey, r, &err);
    if (err.code != OLV_OK)
        cli_report(cli, &err);
    watch_print_troubles(cli);
    if (survey.troubles)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (survey.troubles && survey.roots)
        term_message(cli, STYLE_WARN, "%s could not be read, so the picture is incomplete",
                     COUNT(survey.troubles, "place", "places"));
    if (survey.undecided)
        term_message(cli, STYLE_WARN, "--where could not be decided for %s, which are left out",
                     COUNT(survey.undecided, "entry", "entries"));
    olv_survey_free(&survey);
}

static void cmd_survey_run(struct cli *cli)
{
    struct request r = {.where = NULL};
    if (read_options(cli, &r))
        cmd_survey_make(cli, &r);
    template_free(r.view.format);
    olv_expr_free(r.where);
}

static const enum cli_option options[] = {OPT_LIST,  OPT_OLDER_THAN, OPT_NEWER_THAN, OPT_KIND,   OPT_WHERE,
                                          OPT_CLOCK, OPT_SORT,       OPT_LIMIT,      OPT_FORMAT, OPT_NONE};

const struct cli_command cmd_survey = {
    .name = "survey",
    .stage = "Look",
    .arguments = "[PATH…]",
    .summary = "Shows how old and how big what lies in a tree is, and whose",
    .options = options,
    .most = 4096,
    .run = cmd_survey_run,
};
