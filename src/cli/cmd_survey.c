/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/survey_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/machine.h"
#include "olvido/nearest.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

enum { MOST_PATHS = 4096 };

struct request {
    struct olv_survey_options options;
    struct survey_view view;
    struct olv_expr *where;
    struct olv_duration older, newer;
    const char *paths[MOST_PATHS]; /* canonical; owned */
    size_t count;
    uint64_t missing;
};

/* ---- what is asked for ---- */

static bool read_kinds(struct cli *cli, struct request *r, enum cli_status *status)
{
    const char *words[OLV_KIND_DEVICE];
    for (unsigned k = OLV_KIND_FILE; k <= OLV_KIND_DEVICE; k++)
        words[k - 1] = olv_kind_word((enum olv_kind)k);
    for (size_t i = 0; i < cli->options[OPT_KIND].count; i++) {
        const char *word = cli->options[OPT_KIND].values[i],
                   *near = olv_nearest(word, strlen(word), words, OLV_KIND_DEVICE);
        unsigned kind = OLV_KIND_FILE;
        while (kind <= OLV_KIND_DEVICE && strcmp(words[kind - 1], word) != 0)
            kind++;
        if (kind > OLV_KIND_DEVICE) {
            *status = cli_usage(cli, "`%s` is no kind%s%s%s", word, near ? "; did you mean `" : "",
                                near ? near : "", near ? "`?" : "");
            return false;
        }
        r->options.kinds |= 1u << kind;
    }
    return true;
}

static bool read_where(struct cli *cli, struct request *r, enum cli_status *status)
{
    struct olv_diagnostics list = {0};
    const char *text = cli_value(cli, OPT_WHERE);
    if (!text)
        return true;
    r->options.where = r->where = olv_expr_compile(text, NULL, &list);
    if (!r->where) {
        cli_print_diagnostics(cli, "--where", &list);
        *status = STATUS_USAGE;
    }
    olv_diagnostics_free(&list);
    return r->where != NULL;
}

static bool read_order(struct cli *cli, struct request *r, enum cli_status *status)
{
    static const char *const orders[] = {"age", "size", "path", "owner", "-age", "-size", "-path", "-owner"};
    static const char *const clocks[] = {"modified", "accessed", "changed", "born"};
    int word = cli_has(cli, OPT_SORT) ? cli_word(cli, OPT_SORT, orders, 8, status) : 0;
    int clock = cli_has(cli, OPT_CLOCK) ? cli_word(cli, OPT_CLOCK, clocks, 4, status) : 0;
    if (word < 0 || clock < 0)
        return false;
    r->options.order = (enum olv_survey_order)(word % 4);
    r->options.is_reversed = word >= 4;
    r->options.clock = (enum olv_clock)clock;
    return !cli_has(cli, OPT_LIMIT) || cli_number(cli, OPT_LIMIT, &r->view.limit, status);
}

static bool read_options(struct cli *cli, struct request *r, enum cli_status *status)
{
    r->options.now = r->view.now = olv_os_now();
    if (cli_has(cli, OPT_FORMAT) && !(r->view.format = template_new(cli, cli_value(cli, OPT_FORMAT), status)))
        return false;
    r->options.wants_list =
        cli_has(cli, OPT_LIST) || cli_has(cli, OPT_SORT) || cli_has(cli, OPT_LIMIT) || r->view.format;
    if (!read_where(cli, r, status) || !read_order(cli, r, status))
        return false;
    r->view.clock = r->options.clock;
    if (cli_has(cli, OPT_OLDER_THAN)) {
        if (!cli_duration(cli, OPT_OLDER_THAN, &r->older, status))
            return false;
        r->options.older_than = &r->older;
    }
    if (cli_has(cli, OPT_NEWER_THAN)) {
        if (!cli_duration(cli, OPT_NEWER_THAN, &r->newer, status))
            return false;
        r->options.newer_than = &r->newer;
    }
    return read_kinds(cli, r, status);
}

static void complain_about(struct cli *cli, struct request *r, const char *path, const char *what, int sys)
{
    olv_observe_trouble(&cli->observer, (struct olv_trouble){OLV_TROUBLE_UNREADABLE, path, what, sys});
    r->missing++;
}

static void add_path(struct cli *cli, struct request *r, const char *path)
{
    char *real = realpath(path, NULL);
    struct stat st;
    if (!real) {
        complain_about(cli, r, path, "looking for it", errno);
    } else if (stat(real, &st) < 0 || !S_ISDIR(st.st_mode)) {
        complain_about(cli, r, path, "it is not a directory", 0);
        free(real);
    } else {
        r->paths[r->count++] = real;
    }
}

static int by_name(const void *a, const void *b)
{
    const char *const *x = a, *const *y = b;
    return strcmp(*x, *y);
}

/* What lies within another one of the paths is looked at once. */
static void drop_nested(struct request *r)
{
    size_t kept = 0;
    if (r->count)
        qsort(r->paths, r->count, sizeof *r->paths, by_name);
    for (size_t i = 0; i < r->count; i++) {
        size_t n = kept ? strlen(r->paths[kept - 1]) : 0;
        bool is_nested = kept && strncmp(r->paths[i], r->paths[kept - 1], n) == 0 &&
                         (r->paths[i][n] == '/' || r->paths[i][n] == '\0' || n == 1);
        if (is_nested)
            free((char *)(uintptr_t)r->paths[i]);
        else
            r->paths[kept++] = r->paths[i];
    }
    r->count = kept;
}

static void read_paths(struct cli *cli, struct request *r)
{
    if (cli->argument_count == 0)
        add_path(cli, r, ".");
    for (size_t i = 0; i < cli->argument_count; i++)
        add_path(cli, r, cli->arguments[i]);
    drop_nested(r);
}

/* ---- */

static void print(struct cli *cli, struct olv_survey *survey, const struct request *r, struct olv_error *err)
{
    watch_clear(cli);
    if (cli_has(cli, OPT_JSON) && r->options.wants_list)
        survey_print_json_list(survey, &r->view, err);
    else if (cli_has(cli, OPT_JSON))
        survey_print_json(survey, &r->view, survey->troubles + r->missing);
    else if (r->options.wants_list)
        survey_print_list(cli, survey, &r->view, err);
    else
        survey_print(cli, survey, &r->view);
    if (!cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET) && !r->view.format)
        survey_print_total(survey, &r->view);
}

static enum cli_status survey_paths(struct cli *cli, struct request *r)
{
    struct olv_survey survey = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    uint64_t unseen;
    if (r->count == 0) {
        watch_print_troubles(cli);
        return STATUS_SOME_FAILED;
    }
    if (olv_survey_make(&survey, r->paths, r->count, &r->options, &cli->observer, &err))
        print(cli, &survey, r, &err);
    if (err.code != OLV_OK)
        status = cli_report(cli, &err);
    watch_print_troubles(cli);
    unseen = survey.troubles + r->missing;
    if (unseen) {
        term_message(cli, STYLE_WARN, "%llu %s could not be read, so the picture is incomplete",
                     (unsigned long long)unseen, unseen == 1 ? "place" : "places");
        status = cli_worse(status, STATUS_SOME_FAILED);
    }
    if (survey.undecided)
        term_message(cli, STYLE_WARN, "--where could not be decided for %llu %s, which are left out",
                     (unsigned long long)survey.undecided, survey.undecided == 1 ? "entry" : "entries");
    olv_survey_free(&survey);
    return status;
}

static enum cli_status cmd_survey_run(struct cli *cli)
{
    struct request *r = calloc(1, sizeof *r);
    enum cli_status status = STATUS_USAGE;
    if (!r)
        return STATUS_SOME_FAILED;
    if (read_options(cli, r, &status)) {
        read_paths(cli, r);
        status = survey_paths(cli, r);
    }
    for (size_t i = 0; i < r->count; i++)
        free((char *)(uintptr_t)r->paths[i]);
    template_free(r->view.format);
    olv_expr_free(r->where);
    free(r);
    return status;
}

static const enum cli_option options[] = {OPT_LIST,  OPT_OLDER_THAN, OPT_NEWER_THAN, OPT_KIND,   OPT_WHERE,
                                          OPT_CLOCK, OPT_SORT,       OPT_LIMIT,      OPT_FORMAT, OPT_NONE};

const struct cli_command cmd_survey = {
    .name = "survey",
    .stage = "Look",
    .arguments = "[PATH…]",
    .summary = "Shows how old and how big what lies in a tree is, and whose",
    .options = options,
    .most = MOST_PATHS,
    .run = cmd_survey_run,
};
