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

static bool read_kinds(struct cli *cli, unsigned *kinds)
{
    const char *words[OLV_KIND_DEVICE];
    bool chosen[OLV_KIND_DEVICE] = {false};
    for (unsigned k = OLV_KIND_FILE; k <= OLV_KIND_DEVICE; k++)
        words[k - 1] = olv_kind_word((enum olv_kind)k);
    if (!cli_words(cli, OPT_KIND, "there is no kind", words, OLV_KIND_DEVICE, chosen))
        return false;
    for (unsigned k = OLV_KIND_FILE; k <= OLV_KIND_DEVICE; k++)
        *kinds |= chosen[k - 1] ? 1u << k : 0;
    return true;
}

static bool read_options(struct cli *cli, struct request *r)
{
    static const char *const orders[] = {"age", "size", "path", "owner", "-age", "-size", "-path", "-owner"};
    static const char *const clocks[] = {"modified", "accessed", "changed", "born"};
    const char *format = cli_value(cli, OPT_FORMAT);
    unsigned kinds = 0;
    int order = 0, clock = 0;
    if ((format && !(r->view.format = template_new(cli, format))) || !cli_where(cli, &r->where) ||
        !cli_word(cli, OPT_SORT, orders, 8, &order) || !cli_word(cli, OPT_CLOCK, clocks, 4, &clock) ||
        !cli_number(cli, OPT_LIMIT, &r->view.limit) || !cli_duration(cli, OPT_OLDER_THAN, &r->older) ||
        !cli_duration(cli, OPT_NEWER_THAN, &r->newer) || !read_kinds(cli, &kinds))
        return false;
    r->view.clock = (enum olv_clock)clock;
    r->view.now = olv_os_now();
    r->options = (struct olv_survey_options){.now = r->view.now,
                                             .clock = r->view.clock,
                                             .kinds = kinds,
                                             .where = r->where,
                                             .older_than = cli_has(cli, OPT_OLDER_THAN) ? &r->older : NULL,
                                             .newer_than = cli_has(cli, OPT_NEWER_THAN) ? &r->newer : NULL,
                                             .order = (enum olv_survey_order)(order % 4),
                                             .is_reversed = order >= 4,
                                             .wants_list = cli_has(cli, OPT_LIST) || cli_has(cli, OPT_SORT) ||
                                                           cli_has(cli, OPT_LIMIT) || format};
    return true;
}

static void cmd_survey_run(struct cli *cli)
{
    const char *const here[] = {"."}, *const *paths = cli->argument_count ? cli->arguments : here;
    struct request r = {.where = NULL};
    struct olv_survey survey = {0};
    struct olv_error err = {0};
    if (read_options(cli, &r)) {
        olv_survey_make(&survey, paths, cli->argument_count ? cli->argument_count : 1, &r.options,
                        &cli->observer, &err);
        survey_show(cli, &survey, &r.view, &err);
    }
    olv_survey_free(&survey);
    template_free(r.view.format);
    olv_expr_free(r.where);
}

const struct cli_command cmd_survey = {
    .name = "survey",
    .stage = "Look",
    .arguments = "[PATH…]",
    .summary = "Shows age, size and owners of what is in a tree",
    .options = {OPT_LIST, OPT_OLDER_THAN, OPT_NEWER_THAN, OPT_KIND, OPT_WHERE, OPT_CLOCK, OPT_SORT, OPT_LIMIT,
                OPT_FORMAT},
    .run = cmd_survey_run,
};
