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
    term_count(&text, policy->rule_count, "rule", "rules");
    olv_text_puts(&text, " with ");
    term_count(&text, steps, "step", "steps");
    if (warnings) {
        olv_text_puts(&text, "; ");
        term_count(&text, warnings, "warning", "warnings");
    }
    if (!cli_has(cli, OPT_QUIET))
        printf("%s\n", olv_text_string(&text));
    olv_text_free(&text);
}

static enum cli_status print_findings(struct cli *cli, const char *path, const struct olv_policy *policy,
                                      const struct olv_diagnostics *list)
{
    if (cli_has(cli, OPT_JSON)) {
        cmd_check_print_json(path, list);
    } else {
        cli_print_diagnostics(cli, path, list);
        if (policy)
            print_sound(cli, policy, list->count);
        else
            term_message(cli, STYLE_ERROR, "%zu %s in the policy; nothing was done", list->errors,
                         list->errors == 1 ? "error" : "errors");
    }
    return policy ? STATUS_DONE : STATUS_USAGE;
}

static enum cli_status cmd_check_run(struct cli *cli)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy;
    struct olv_session session = {0};
    enum cli_status status = STATUS_DONE;
    char path[PATH_MAX];
    if (cli->argument_count == 0 && !cli_policy_path(cli, path, sizeof path, &status))
        return status;
    if (cli->argument_count && (size_t)snprintf(path, sizeof path, "%s", cli->arguments[0]) >= sizeof path)
        return cli_usage(cli, "that path is too long");
    policy = olv_policy_load_trusted(path, &list, &err);
    if (policy) {
        session_open(cli, policy, NULL, &session, &status);
        olv_policy_examine_machine(policy, &session.guard, &list);
    }
    olv_session_close(&session);
    if (!policy && list.count == 0)
        status = cli_worse(STATUS_USAGE, cli_report(cli, &err));
    else
        status = print_findings(cli, path, policy, &list);
    olv_diagnostics_free(&list);
    olv_policy_free(policy);
    return status;
}

const struct cli_command cmd_check = {
    .name = "check",
    .stage = "Decide",
    .arguments = "[FILE]",
    .summary = "Finds every error in a policy, and whether this machine can carry it out",
    .most = 1,
    .run = cmd_check_run,
};
