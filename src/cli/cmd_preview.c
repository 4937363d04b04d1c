/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/views.h"

static void cmd_preview_show(struct cli *cli, const struct olv_policy *policy,
                             const struct olv_plan_request *request)
{
    struct olv_session session = {0};
    struct olv_plan plan = {0};
    struct olv_error err = {0};
    bool ok = session_open(cli, policy, NULL, &session);
    if (ok && olv_session_plan(&session, policy, request, &plan, NULL, &err)) {
        watch_clear(cli);
        if (!plan.docket)
            plan_show(cli, policy, &plan, request->selected);
        else if (!docket_print(cli, plan.docket, (struct docket_filter){.has_total = true}, &err))
            cli_report(cli, &err);
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
    struct olv_plan_request request = {0};
    if (policy && session_read_request(cli, policy, &request)) {
        request.wants_docket = cli_has(cli, OPT_LIST);
        cmd_preview_show(cli, policy, &request);
    }
    session_free_request(&request);
    olv_policy_free(policy);
}

const struct cli_command cmd_preview = {
    .name = "preview",
    .stage = "Decide",
    .arguments = "",
    .summary = "Shows what the policy would do, and touches nothing",
    .options = {OPT_LIST, OPT_AS_OF, OPT_RULE},
    .run = cmd_preview_run,
};
