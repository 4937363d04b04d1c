/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/views.h"

#include <stdlib.h>

static void cmd_preview_show(struct cli *cli, struct olv_policy *policy, bool *selected)
{
    struct olv_plan_request request;
    struct olv_session session = {0};
    struct olv_plan plan = {0};
    struct olv_error err = {0};
    bool wants_list = cli_has(cli, OPT_LIST);
    bool ok =
        session_read_request(cli, policy, selected, &request) && session_open(cli, policy, NULL, &session);
    request.wants_docket = wants_list;
    if (ok && olv_session_plan(&session, policy, &request, &plan, NULL, &err)) {
        watch_clear(cli);
        if (wants_list && !docket_print(cli, plan.docket, (struct docket_filter){0}, &err))
            cli_report(cli, &err);
        else if (!wants_list)
            plan_show(cli, policy, &plan, selected);
        plan_print_gaps(cli, policy, &plan);
    } else if (ok) {
        cli_report(cli, &err);
    }
    olv_plan_free(&plan);
    olv_session_close(&session);
}

static void cmd_preview_run(struct cli *cli)
{
    struct olv_policy *policy = cli_policy(cli);
    bool *selected = policy ? calloc(policy->rule_count, sizeof *selected) : NULL;
    if (selected)
        cmd_preview_show(cli, policy, selected);
    else if (policy)
        cli_mark(cli, STATUS_SOME_FAILED);
    free(selected);
    olv_policy_free(policy);
}

static const enum cli_option options[] = {OPT_LIST, OPT_AS_OF, OPT_RULE, OPT_NONE};

const struct cli_command cmd_preview = {
    .name = "preview",
    .stage = "Decide",
    .arguments = "",
    .summary = "Shows what the policy would do, and touches nothing",
    .options = options,
    .run = cmd_preview_run,
};
