/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/habits.h"
#include "cli/open_session.h"
#include "cli/views.h"
#include "olvido/fitness.h"
#include "olvido/trust.h"

#include <limits.h>

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
        policy_print_findings(cli, path, policy, &list);
    else if (!cli_report(cli, &err))
        cli_mark(cli, STATUS_USAGE);
    olv_diagnostics_free(&list);
    olv_policy_free(policy);
    habits_check(cli);
}

const struct cli_command cmd_check = {
    .name = "check",
    .stage = "Decide",
    .arguments = "[FILE]",
    .summary = "Finds every error in a policy, and checks that this machine can carry it out",
    .run = cmd_check_run,
};
