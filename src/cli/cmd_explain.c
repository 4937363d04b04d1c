/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/explain_view.h"
#include "cli/facts.h"
#include "cli/history_view.h"
#include "cli/items_view.h"
#include "cli/open_session.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"

#include <limits.h>
#include <stdlib.h>

struct explaining {
    struct cli *cli;
    struct olv_policy *policy; /* NULL: there is none, and only the ledger is asked */
    struct olv_session session;
    struct olv_plan_options options;
    struct explain_view view;
};

static enum cli_status explain_path(struct explaining *x, const char *word)
{
    struct olv_explanation e = {0};
    struct olv_error err = {0};
    bool as_json = cli_has(x->cli, OPT_JSON), is_known = true;
    json_t *json = as_json ? json_object() : NULL;
    char *path = items_absolute(word), *name;
    bool ok = path && olv_explain(&e, x->policy, path, &x->options, &x->cli->observer, &err);
    watch_clear(x->cli);
    if (ok && as_json) {
        olv_json_name(json, "path", e.path);
        olv_json_string(json, "state", olv_reason_key(e.verdict.reason));
        if (e.exists || e.stored_versions)
            explain_add_json(&x->view, &e, json);
        if (!e.exists)
            ok = history_show(x->cli, &x->session, e.path, json, &is_known, &err);
        cli_print_json(json);
    } else if (ok) {
        name = facts_name(e.path);
        printf("%s%s%s\n", term_begin(x->cli, STYLE_HEADING), name, term_end(x->cli));
        free(name);
        if (!e.exists && !e.stored_versions)
            facts_line(x->cli, "Is", STYLE_PLAIN, "not there");
        if (e.exists || e.stored_versions)
            explain_print(&x->view, &e);
        if (!e.exists)
            ok = history_show(x->cli, &x->session, e.path, NULL, &is_known, &err);
    } else {
        json_decref(json);
    }
    free(path);
    olv_explanation_free(&e);
    if (!ok)
        return cli_report(x->cli, &err);
    return is_known ? STATUS_DONE : STATUS_SOME_FAILED;
}

static enum cli_status cmd_explain_run(struct cli *cli)
{
    struct explaining x = {.cli = cli};
    enum cli_status status = STATUS_DONE;
    char path[PATH_MAX];
    if (!cli_policy_path(cli, path, sizeof path, &status))
        return status;
    x.policy = cli_load_policy(cli, path, &status);
    if (!x.policy)
        return status;
    if (session_open_judging(cli, x.policy, &x.session, &x.options, &status)) {
        x.view = (struct explain_view){cli, x.policy, x.options.now, x.options.as_of};
        for (size_t i = 0; i < cli->argument_count; i++) {
            if (i && !cli_has(cli, OPT_JSON))
                putchar('\n');
            status = cli_worse(status, explain_path(&x, cli->arguments[i]));
        }
    }
    olv_session_close(&x.session);
    watch_print_troubles(cli);
    olv_policy_free(x.policy);
    return status;
}

static const enum cli_option options[] = {OPT_AS_OF, OPT_NONE};

const struct cli_command cmd_explain = {
    .name = "explain",
    .stage = "Look",
    .arguments = "PATH…",
    .summary = "Says which rule owns a file, what becomes of it when, and what stands in the way",
    .options = options,
    .least = 1,
    .most = 4096,
    .run = cmd_explain_run,
};
