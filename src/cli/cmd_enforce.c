/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/docket_view.h"
#include "cli/open_session.h"
#include "cli/permit.h"
#include "cli/plan_view.h"
#include "cli/run_view.h"
#include "cli/term.h"
#include "cli/watch.h"

#include <limits.h>
#include <stdlib.h>

struct enforcing {
    struct cli *cli;
    struct olv_policy *policy;
    struct olv_session session;
    struct olv_plan_request request;
    struct olv_plan plan;
    bool *selected, *over_limit; /* for each rule */
    struct permit permit;
};

static bool cmd_enforce_approve(void *self, struct olv_docket_entry *entry)
{
    struct enforcing *e = self;
    return permit_entry(&e->permit, entry);
}

static bool any(const struct enforcing *e, bool (*fits)(const struct olv_act *act))
{
    for (size_t i = 0; i < e->policy->rule_count; i++)
        for (size_t k = 0; e->selected[i] && k < e->policy->rules[i].step_count; k++)
            if (fits(e->policy->rules[i].steps[k].act) && e->plan.rules[i].steps[k].files)
                return true;
    return false;
}

static bool tells(const struct olv_act *act)
{
    return !(act->traits & (OLV_TOUCHES | OLV_KEEPS));
}

static bool needs_trash(const struct olv_act *act)
{
    return act->destination == OLV_TO_TRASH;
}

static enum cli_status print_told(struct enforcing *e)
{
    struct docket_filter filter = {.which = DOCKET_TOLD, .most = cli_has(e->cli, OPT_VERBOSE) ? 0 : 20};
    struct olv_error err = {0};
    if (!any(e, tells) || cli_has(e->cli, OPT_JSON) || cli_has(e->cli, OPT_QUIET))
        return STATUS_DONE;
    printf("\nTold of:\n");
    return docket_print(e->cli, e->plan.docket, filter, false, &err) ? STATUS_DONE : cli_report(e->cli, &err);
}

static enum cli_status cmd_enforce_carry_out(struct enforcing *e)
{
    struct olv_approval approval = {cmd_enforce_approve, e};
    struct olv_run_result result = {0};
    enum cli_status status = STATUS_DONE;
    watch_expect(e->cli, e->plan.due_files);
    session_carry_out(e->cli, &e->session, e->plan.docket, &approval, &result, &status);
    permit_explain(&e->permit);
    return cli_worse(status, run_print_result(e->cli, e->session.run, &result, true));
}

static enum cli_status permit_and_do(struct enforcing *e)
{
    struct cli *cli = e->cli;
    struct olv_allowance allowance = {.is_unattended = e->request.is_unattended,
                                      .says_yes = cli_has(cli, OPT_YES),
                                      .over_limit = e->over_limit,
                                      .can_ask = ask_is_possible() && !cli_has(cli, OPT_JSON) &&
                                                 !e->request.is_unattended};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    allowance.has_count = cli_has(cli, OPT_COUNT_TYPED);
    if (allowance.has_count && !cli_number(cli, OPT_COUNT_TYPED, &allowance.count, &status))
        return status;
    e->permit.permission = olv_permission_new(e->policy, &e->plan, e->selected, &allowance);
    if (!e->permit.permission) {
        olv_fail_memory(&err);
        return cli_report(cli, &err);
    }
    permit_ask(&e->permit);
    if (!watch_is_interrupted(cli))
        return cmd_enforce_carry_out(e);
    term_message(cli, STYLE_WARN, "interrupted; nothing was done");
    return STATUS_INTERRUPTED;
}

static enum cli_status enforce(struct enforcing *e)
{
    struct cli *cli = e->cli;
    const char *clock_doubt = NULL;
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    if (!session_open(cli, e->policy, cli_has(cli, OPT_PREVIEW) ? NULL : "enforce", &e->session, &status))
        return status;
    if (!olv_session_plan(&e->session, e->policy, &e->request, &e->plan, &clock_doubt, &err))
        return cli_report(cli, &err);
    watch_clear(cli);
    if (!e->session.run) {
        plan_show(cli, e->policy, &e->plan, e->selected);
        return plan_print_gaps(cli, e->policy, &e->plan);
    }
    if (!cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET))
        plan_print(cli, e->policy, &e->plan, e->selected);
    if (clock_doubt && e->request.is_unattended)
        term_message(cli, STYLE_WARN, "%s: what cannot be taken back waits", clock_doubt);
    status = plan_print_gaps(cli, e->policy, &e->plan);
    if (any(e, needs_trash) && !olv_run_prepare(e->session.run, e->plan.mounts, e->plan.mount_count, &err))
        return cli_report(cli, &err);
    status = cli_worse(status, print_told(e));
    return cli_worse(status, permit_and_do(e));
}

static enum cli_status cmd_enforce_run(struct cli *cli)
{
    struct enforcing e = {.cli = cli};
    enum cli_status status = STATUS_SOME_FAILED;
    char path[PATH_MAX];
    if (!cli_policy_path(cli, path, sizeof path, &status))
        return status;
    e.policy = cli_load_policy(cli, path, &status);
    if (!e.policy)
        return status;
    e.selected = calloc(e.policy->rule_count, sizeof *e.selected);
    e.over_limit = calloc(e.policy->rule_count, sizeof *e.over_limit);
    e.permit = (struct permit){.cli = cli, .policy = e.policy, .plan = &e.plan};
    if (e.selected && e.over_limit && session_read_request(cli, e.policy, e.selected, &e.request, &status) &&
        session_rules_of(cli, e.policy, OPT_OVER_LIMIT, e.over_limit, &status)) {
        e.request.is_unattended = cli_has(cli, OPT_UNATTENDED);
        e.request.wants_docket = !cli_has(cli, OPT_PREVIEW);
        status = enforce(&e);
    }
    olv_session_close(&e.session);
    olv_permission_free(e.permit.permission);
    olv_plan_free(&e.plan);
    free(e.over_limit);
    free(e.selected);
    olv_policy_free(e.policy);
    return status;
}

static const enum cli_option options[] = {OPT_YES,  OPT_COUNT_TYPED, OPT_OVER_LIMIT, OPT_UNATTENDED,
                                          OPT_RULE, OPT_PREVIEW,     OPT_NONE};

const struct cli_command cmd_enforce = {
    .name = "enforce",
    .stage = "Do",
    .arguments = "",
    .summary = "Carries the policy out, on the record",
    .options = options,
    .run = cmd_enforce_run,
};
