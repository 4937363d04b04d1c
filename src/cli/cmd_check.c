/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/term.h"
#include "olvido/fitness.h"
#include "olvido/json.h"
#include "olvido/trust.h"

#include <limits.h>
#include <string.h>

static void cmd_check_print_json(const char *path, const struct olv_diagnostics *list)
{
    for (size_t i = 0; i < list->count; i++) {
        const struct olv_diagnostic *d = &list->items[i];
        json_t *json = json_object();
        olv_json_name(json, "path", path);
        olv_json_number(json, "line", (uint64_t)d->line);
        olv_json_number(json, "column", (uint64_t)d->column);
        olv_json_string(json, "weight", d->is_warning ? "warning" : "error");
        olv_json_string(json, "message", d->message);
        if (d->expected)
            olv_json_string(json, "expected", d->expected);
        if (d->nearest)
            olv_json_string(json, "nearest", d->nearest);
        cli_print_json(json);
    }
}

static void print_sound(struct cli *cli, const struct olv_policy *policy, size_t warnings)
{
    struct olv_text text = {0};
    size_t steps = 0;
    for (size_t i = 0; i < policy->rule_count; i++)
        steps += policy->rules[i].step_count;
    term_name(&text, policy->path);
    olv_text_puts(&text, ": sound. ");
    if (policy->title) {
        olv_text_puts(&text, "\"");
        term_name(&text, policy->title);
        olv_text_puts(&text, "\", ");
    }
    olv_text_printf(&text, "%s with %s", COUNT(policy->rule_count, "rule", "rules"),
                    COUNT(steps, "step", "steps"));
    if (warnings)
        olv_text_printf(&text, "; %s", COUNT(warnings, "warning", "warnings"));
    if (!cli_has(cli, OPT_QUIET))
        printf("%s\n", olv_text_string(&text));
    olv_text_free(&text);
}

static void print_findings(struct cli *cli, const char *path, const struct olv_policy *policy,
                           const struct olv_diagnostics *list)
{
    if (cli_has(cli, OPT_JSON)) {
        cmd_check_print_json(path, list);
    } else {
        cli_print_diagnostics(cli, path, list);
        if (policy)
            print_sound(cli, policy, list->count);
        else
            term_message(cli, STYLE_ERROR, "%s in the policy; nothing was done",
                         COUNT(list->errors, "error", "errors"));
    }
    if (!policy)
        cli_mark(cli, STATUS_USAGE);
}

static void cmd_check_run(struct cli *cli)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy;
    struct olv_session session = {0};
    char given[PATH_MAX];
    const char *path = cli->argument_count ? cli->arguments[0] : given;
    if (cli->argument_count == 0 && !cli_policy_path(cli, given, sizeof given))
        return;
    policy = olv_policy_load_trusted(path, &list, &err);
    if (policy) {
        session_open(cli, policy, NULL, &session);
        olv_policy_examine_machine(policy, &session.guard, &list);
    }
    olv_session_close(&session);
    if (policy || list.count)
        print_findings(cli, path, policy, &list);
    else if (!cli_report(cli, &err))
        cli_mark(cli, STATUS_USAGE);
    olv_diagnostics_free(&list);
    olv_policy_free(policy);
}

const struct cli_command cmd_check = {
    .name = "check",
    .stage = "Decide",
    .arguments = "[FILE]",
    .summary = "Finds every error in a policy, and whether this machine can carry it out",
    .most = 1,
    .run = cmd_check_run,
};
