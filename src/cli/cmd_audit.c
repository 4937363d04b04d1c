/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/items_view.h"
#include "cli/ledger_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/nearest.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>

/* ---- show ---- */

/* Each word must be one that the ledger knows: a misspelt one would find nothing, and say so as if that were
 * an answer. */
static bool check_words(struct cli *cli, enum cli_option option, const char *const *known, size_t count,
                        enum cli_status *status)
{
    for (size_t i = 0; i < cli->options[option].count; i++) {
        const char *word = cli->options[option].values[i],
                   *near = olv_nearest(word, strlen(word), known, count);
        size_t k = 0;
        while (k < count && strcmp(known[k], word) != 0)
            k++;
        if (k < count)
            continue;
        *status = cli_usage(cli, "the ledger has no `%s` there%s%s%s", word, near ? "; did you mean `" : "",
                            near ? near : "", near ? "`?" : "");
        return false;
    }
    return true;
}

static bool read_query(struct cli *cli, struct olv_ledger_query *q, char **path, enum cli_status *status)
{
    static const char *const results[] = {"done",    "told",     "left",        "refused", "failed",
                                          "unknown", "finished", "interrupted", "settled"};
    const char *acts[OLV_ACTS_MOST];
    size_t act_count = 0;
    for (; olv_acts[act_count]; act_count++)
        acts[act_count] = olv_acts[act_count]->word;
    if (!check_words(cli, OPT_ACT, acts, act_count, status) ||
        !check_words(cli, OPT_RESULT, results, 8, status))
        return false;
    *q = (struct olv_ledger_query){.run = cli_value(cli, OPT_RUN),
                                   .rule = cli_value(cli, OPT_RULE),
                                   .acts = cli->options[OPT_ACT].values,
                                   .act_count = cli->options[OPT_ACT].count,
                                   .results = cli->options[OPT_RESULT].values,
                                   .result_count = cli->options[OPT_RESULT].count,
                                   .has_since = cli_has(cli, OPT_SINCE),
                                   .has_until = cli_has(cli, OPT_UNTIL)};
    if (cli_has(cli, OPT_PATH))
        q->path = *path = items_absolute(cli_value(cli, OPT_PATH));
    return (!q->has_since || cli_instant(cli, OPT_SINCE, &q->since, status)) &&
           (!q->has_until || cli_instant(cli, OPT_UNTIL, &q->until, status));
}

static enum cli_status cmd_audit_show(struct cli *cli, const char *state)
{
    static const struct table_column columns[] = {{.heading = "Time", .width = 16},
                                                  {.heading = "Run", .width = 18},
                                                  {.heading = "What", .width = 14},
                                                  {.heading = "Which", .is_elastic = true}};
    struct ledger_view s = {.cli = cli};
    struct olv_ledger_query query;
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    char *path = NULL;
    bool ok = read_query(cli, &query, &path, &status) &&
              (!cli_has(cli, OPT_LIMIT) || cli_number(cli, OPT_LIMIT, &s.limit, &status));
    if (ok) {
        s.table = cli_has(cli, OPT_JSON) ? NULL : table_begin(cli, columns, 4);
        ok = olv_ledger_search(state, &query, ledger_view_record, &s, &err);
        table_end(s.table);
        if (!ok && err.sys == ENOENT)
            term_message(cli, STYLE_PLAIN, "there is no ledger yet: nothing was ever done");
        else if (!ok)
            status = cli_report(cli, &err);
        else if (s.shown == 0 && query.run)
            status = cli_usage(cli, "the ledger knows no run `%s`, or nothing of it fits", query.run);
        else if (s.shown == 0 && !cli_has(cli, OPT_JSON))
            term_message(cli, STYLE_PLAIN, "the ledger has nothing that fits");
    }
    free(path);
    return status;
}

/* ---- verify ---- */

static enum cli_status cmd_audit_verify(struct cli *cli, const char *state)
{
    struct olv_ledger_report report;
    struct olv_error err = {0};
    if (!olv_ledger_verify(state, cli_value(cli, OPT_AGAINST), &cli->observer, &report, &err)) {
        if (err.sys == ENOENT && !*err.hint)
            olv_error_hint(&err, "there is no ledger there; --state DIR names another place");
        return cli_report(cli, &err);
    }
    watch_clear(cli);
    ledger_view_report(cli, &report);
    return report.fault == OLV_LEDGER_SOUND ? STATUS_DONE : STATUS_BROKEN;
}

static enum cli_status cmd_audit_run(struct cli *cli)
{
    enum cli_status status = STATUS_DONE;
    char state[PATH_MAX];
    if (!cli_state_path(cli, state, sizeof state, &status))
        return status;
    if (strcmp(cli->arguments[0], "show") == 0)
        return cli_has(cli, OPT_AGAINST) ? cli_usage(cli, "--against goes with `audit verify`")
                                         : cmd_audit_show(cli, state);
    if (strcmp(cli->arguments[0], "verify") == 0)
        return cmd_audit_verify(cli, state);
    return cli_usage(cli, "`audit` can `show` and `verify`, not `%s`", cli->arguments[0]);
}

static const enum cli_option options[] = {OPT_RUN,   OPT_RULE,  OPT_PATH,  OPT_ACT,     OPT_RESULT,
                                          OPT_SINCE, OPT_UNTIL, OPT_LIMIT, OPT_AGAINST, OPT_NONE};

const struct cli_command cmd_audit = {
    .name = "audit",
    .stage = "Prove",
    .arguments = "show|verify",
    .summary = "Shows the ledger of everything that was done, or proves that nobody touched it",
    .options = options,
    .least = 1,
    .most = 1,
    .run = cmd_audit_run,
};
