/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/views.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>

enum { SHOW, VERIFY };

/* ---- show ---- */

/* Each word must be one that the ledger knows: a misspelt one would find nothing, and that would look like an
 * answer. */
static bool read_query(struct cli *cli, struct olv_ledger_query *q, char **path)
{
    const char *acts[OLV_ACTS_MOST];
    size_t act_count = 0, result_count = 0;
    for (; olv_acts[act_count]; act_count++)
        acts[act_count] = olv_acts[act_count]->word;
    while (olv_ledger_results[result_count])
        result_count++;
    *q = (struct olv_ledger_query){.run = cli_value(cli, OPT_RUN),
                                   .rule = cli_value(cli, OPT_RULE),
                                   .acts = cli->options[OPT_ACT].values,
                                   .act_count = cli->options[OPT_ACT].count,
                                   .results = cli->options[OPT_RESULT].values,
                                   .result_count = cli->options[OPT_RESULT].count};
    if (cli_has(cli, OPT_PATH) &&
        !(q->path = *path = patterns_absolute(cli, cli_value(cli, OPT_PATH), false)))
        return false;
    return cli_words(cli, OPT_ACT, "the ledger has no act", acts, act_count, NULL) &&
           cli_words(cli, OPT_RESULT, "the ledger has no result", olv_ledger_results, result_count, NULL) &&
           cli_instant(cli, OPT_SINCE, &q->since, &q->has_since) &&
           cli_instant(cli, OPT_UNTIL, &q->until, &q->has_until);
}

static void cmd_audit_show(struct cli *cli, const char *state)
{
    struct ledger_view s = {.cli = cli};
    struct olv_ledger_query query;
    struct olv_error err = {0};
    char *path = NULL;
    if (cli_has(cli, OPT_AGAINST))
        cli_usage(cli, "--against goes with `audit verify`");
    else if (read_query(cli, &query, &path) && cli_number(cli, OPT_LIMIT, &s.limit)) {
        ledger_view_begin(&s);
        olv_ledger_search(state, &query, ledger_view_record, &s, &err);
        ledger_view_end(&s, query.run, &err);
    }
    free(path);
}

/* ---- verify ---- */

static void cmd_audit_verify(struct cli *cli, const char *state)
{
    struct olv_ledger_report report;
    struct olv_error err = {0};
    if (!olv_ledger_verify(state, cli_value(cli, OPT_AGAINST), &cli->observer, &report, &err)) {
        if (err.sys == ENOENT && !err.hint)
            olv_error_hint(&err, "there is no ledger there; --state DIR names another place");
        cli_report(cli, &err);
        return;
    }
    watch_clear(cli);
    ledger_view_report(cli, &report);
    if (report.fault != OLV_LEDGER_SOUND)
        cli_mark(cli, STATUS_BROKEN);
}

static void cmd_audit_run(struct cli *cli)
{
    char state[PATH_MAX];
    if (cli_state_path(cli, state, sizeof state))
        (cli->word == SHOW ? cmd_audit_show : cmd_audit_verify)(cli, state);
}

const struct cli_command cmd_audit = {
    .name = "audit",
    .stage = "Prove",
    .words = {[SHOW] = "show", [VERIFY] = "verify"},
    .arguments = "",
    .summary = "Shows the ledger of everything done, or proves that nobody altered it",
    .options = {OPT_RUN, OPT_RULE, OPT_PATH, OPT_ACT, OPT_RESULT, OPT_SINCE, OPT_UNTIL, OPT_LIMIT,
                OPT_AGAINST},
    .run = cmd_audit_run,
};
