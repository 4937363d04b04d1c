/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/docket_view.h"
#include "cli/open_session.h"
#include "cli/plan_view.h"
#include "cli/watch.h"

#include <limits.h>
#include <stdlib.h>

static enum cli_status cmd_preview_show(struct cli *cli, struct olv_policy *policy, bool *selected)
{
    struct olv_plan_request request;
    struct olv_session session = {0};
    struct olv_plan plan = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    bool wants_list = cli_has(cli, OPT_LIST), as_json = cli_has(cli, OPT_JSON), ok;
    ok = session_read_request(cli, policy, selected, &request, &status) &&
         session_open(cli, policy, NULL, &session, &status);
    request.wants_docket = wants_list;
    if (ok && olv_session_plan(&session, policy, &request, &plan, NULL, &err)) {
        watch_clear(cli);
        if (wants_list && !docket_print(cli, plan.docket, (struct docket_filter){0}, as_json, &err))
            status = cli_report(cli, &err);
        else if (!wants_list)
            plan_show(cli, policy, &plan, selected);
        status = cli_worse(status, plan_print_gaps(cli, policy, &plan));
    } else if (ok) {
        status = cli_report(cli, &err);
    }
    olv_plan_free(&plan);
    olv_session_close(&session);
    return status;
}

static enum cli_status cmd_preview_run(struct cli *cli)
{
    enum cli_status status = STATUS_DONE;
    struct olv_policy *policy;
    char path[PATH_MAX];
    bool *selected;
    if (!cli_policy_path(cli, path, sizeof path, &status))
        return status;
    policy = cli_load_policy(cli, path, &status);
    if (!policy)
        return status;
    selected = calloc(policy->rule_count, sizeof *selected);
    status = selected ? cmd_preview_show(cli, policy, selected) : STATUS_SOME_FAILED;
    free(selected);
    olv_policy_free(policy);
    return status;
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
