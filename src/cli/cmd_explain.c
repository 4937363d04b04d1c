/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/views.h"

#include <stdlib.h>

struct explaining {
    struct cli *cli;
    struct olv_policy *policy; /* NULL: none, and only the ledger is asked */
    struct olv_session session;
    struct olv_plan_options options;
    struct explain_view view;
};

static void explain_path(struct explaining *x, const char *word)
{
    struct olv_explanation e = {0};
    struct olv_error err = {0};
    bool is_known = true;
    json_t *json = cli_has(x->cli, OPT_JSON) ? json_object() : NULL;
    char *path = patterns_absolute(x->cli, word, false);
    bool ok = path && olv_explain(&e, x->policy, path, &x->options, &x->cli->observer, &err);
    watch_clear(x->cli);
    if (ok && json) {
        olv_json_name(json, "path", e.path);
        olv_json_string(json, "state", olv_reason_key(e.verdict.reason));
        if (e.exists || e.stored_versions || e.trash)
            explain_add_json(&x->view, &e, json);
    } else if (ok) {
        facts_title(x->cli, e.path);
        if (e.exists || e.stored_versions || e.trash)
            explain_print(&x->view, &e);
        else
            facts_line(x->cli, "Is", STYLE_PLAIN, "not there");
    }
    if (ok && !e.exists)
        ok = history_show(x->cli, &x->session, e.path, json, &is_known, &err);
    if (ok && json)
        cli_print_json(json);
    else
        json_decref(json);
    free(path);
    olv_explanation_free(&e);
    if (!ok && err.code != OLV_OK) /* otherwise it was reported */
        cli_report(x->cli, &err);
    if (!is_known)
        cli_mark(x->cli, STATUS_SOME_FAILED);
}

static void print_habits(struct cli *cli)
{
    const char *label = "Settings";
    for (int i = 0; i < OLV_SETTINGS; i++) {
        if (!cli->settings.from[i])
            continue;
        if (*label)
            putchar('\n');
        facts_line(cli, label, STYLE_PLAIN, "%s: %s, by %s", olv_setting_name((enum olv_setting)i),
                   cli->settings.words[i], cli->settings.from[i]);
        label = "";
    }
}

static void cmd_explain_run(struct cli *cli)
{
    struct explaining x = {.cli = cli, .policy = cli_policy(cli)};
    if (x.policy && session_open_judging(cli, x.policy, &x.session, &x.options)) {
        x.view = (struct explain_view){cli, x.policy, x.options.now, x.options.as_of};
        for (size_t i = 0; i < cli->argument_count; i++) {
            if (i && !cli_has(cli, OPT_JSON))
                putchar('\n');
            explain_path(&x, cli->arguments[i]);
        }
    }
    if (!cli_has(cli, OPT_JSON))
        print_habits(cli);
    olv_session_close(&x.session);
    watch_print_troubles(cli);
    olv_policy_free(x.policy);
}

const struct cli_command cmd_explain = {
    .name = "explain",
    .stage = "Look",
    .arguments = "PATH…",
    .summary = "Says which rule owns a file, what happens to it and when, and what prevents that",
    .options = {OPT_AS_OF},
    .run = cmd_explain_run,
};
