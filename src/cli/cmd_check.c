/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/term.h"
#include "olvido/json.h"

#include <limits.h>
#include <string.h>

static enum cli_status fail_json(const char *path, const struct olv_diagnostics *list)
{
    for (size_t i = 0; i < list->count; i++) {
        const struct olv_diagnostic *d = &list->items[i];
        json_t *json = json_object();
        olv_json_name(json, "path", path);
        olv_json_number(json, "line", (uint64_t)d->line);
        olv_json_number(json, "column", (uint64_t)d->column);
        olv_json_string(json, "message", d->message);
        if (d->expected)
            olv_json_string(json, "expected", d->expected);
        if (d->nearest)
            olv_json_string(json, "nearest", d->nearest);
        cli_print_json(json);
    }
    return STATUS_USAGE;
}

static void print_sound(struct cli *cli, const struct olv_policy *policy)
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
    if (!cli_has(cli, OPT_QUIET))
        printf("%s\n", olv_text_string(&text));
    olv_text_free(&text);
}

static enum cli_status run(struct cli *cli)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy;
    enum cli_status status = STATUS_DONE;
    char path[PATH_MAX];
    if (cli->argument_count == 0 && !cli_policy_path(cli, path, sizeof path, &status))
        return status;
    if (cli->argument_count && (size_t)snprintf(path, sizeof path, "%s", cli->arguments[0]) >= sizeof path)
        return cli_usage(cli, "that path is too long");
    if (!cli_has(cli, OPT_JSON)) {
        policy = cli_load_policy(cli, path, &status);
    } else {
        policy = olv_policy_load(path, &list, &err);
        if (!policy)
            status = list.count ? fail_json(path, &list) : cli_worse(STATUS_USAGE, cli_report(cli, &err));
    }
    if (policy && !cli_has(cli, OPT_JSON))
        print_sound(cli, policy);
    olv_diagnostics_free(&list);
    olv_policy_free(policy);
    return status;
}

const struct cli_command cmd_check = {
    .name = "check",
    .stage = "Decide",
    .arguments = "[FILE]",
    .summary = "Finds every error in a policy, with its place",
    .help = "Without a FILE it is the policy that the other commands would use. All errors are shown in one "
            "go: file, line and\n"
            "column, the line with a mark under the place, what was expected, and the known word that was "
            "probably meant.\n"
            "With --json there is one object per error. The exit status is 2 when there are any.\n"
            "docs/policy.md describes the file.\n",
    .most = 1,
    .run = run,
};
