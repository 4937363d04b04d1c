/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/permit.h"
#include "cli/views.h"

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

static void print_told(struct enforcing *e)
{
    struct docket_filter filter = {
        .which = DOCKET_TOLD, .most = cli_has(e->cli, OPT_VERBOSE) ? 0 : 20, .heading = "\nTold of:\n"};
    struct olv_error err = {0};
    if (cli_has(e->cli, OPT_JSON) || cli_has(e->cli, OPT_QUIET))
        return;
    if (!docket_print(e->cli, e->plan.docket, filter, &err))
        cli_report(e->cli, &err);
}

static void cmd_enforce_carry_out(struct enforcing *e)
{
    struct olv_approval approval = {cmd_enforce_approve, e};
    struct olv_run_result result = {0};
    watch_expect(e->cli, e->plan.due_files);
    session_carry_out(e->cli, &e->session, e->plan.docket, &approval, &result);
    permit_explain(&e->permit);
    run_print_result(e->cli, e->session.run, &result, true);
}

static void permit_and_do(struct enforcing *e)
{
    struct cli *cli = e->cli;
    struct olv_allowance allowance = {.is_unattended = e->request.is_unattended,
                                      .says_yes = cli_has(cli, OPT_YES),
                                      .has_count = cli_has(cli, OPT_COUNT_TYPED),
                                      .over_limit = e->over_limit,
                                      .can_ask = ask_is_possible() && !cli_has(cli, OPT_JSON) &&
                                                 !e->request.is_unattended};
    struct olv_error err = {0};
    if (allowance.has_count && !cli_number(cli, OPT_COUNT_TYPED, &allowance.count))
        return;
    e->permit.permission = olv_permission_new(e->policy, &e->plan, e->selected, &allowance);
    if (!e->permit.permission) {
        olv_fail_memory(&err);
        cli_report(cli, &err);
        return;
    }
    permit_ask(&e->permit);
    if (!watch_is_interrupted(cli)) {
        cmd_enforce_carry_out(e);
        return;
    }
    term_message(cli, STYLE_WARN, "interrupted; nothing was done");
    cli_mark(cli, STATUS_INTERRUPTED);
}

static bool enforce(struct enforcing *e)
{
    struct cli *cli = e->cli;
    const char *clock_doubt = NULL;
    struct olv_error err = {0};
    if (!session_open(cli, e->policy, cli_has(cli, OPT_PREVIEW) ? NULL : "enforce", &e->session))
        return false;
    if (!olv_session_plan(&e->session, e->policy, &e->request, &e->plan, &clock_doubt, &err))
        return cli_report(cli, &err);
    watch_clear(cli);
    if (!e->session.run) {
        plan_show(cli, e->policy, &e->plan, e->selected);
        plan_print_gaps(cli, e->policy, &e->plan);
        return true;
    }
    if (!cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET))
        plan_print(cli, e->policy, &e->plan, e->selected);
    if (clock_doubt && e->request.is_unattended)
        term_message(cli, STYLE_WARN, "%s: what cannot be taken back waits", clock_doubt);
    plan_print_gaps(cli, e->policy, &e->plan);
    if (!olv_run_prepare(e->session.run, e->plan.mounts, e->plan.mount_count, &err))
        return cli_report(cli, &err);
    print_told(e);
    permit_and_do(e);
    return true;
}

static void cmd_enforce_run(struct cli *cli)
{
    struct enforcing e = {.cli = cli, .policy = cli_policy(cli)};
    if (!e.policy)
        return;
    e.selected = calloc(e.policy->rule_count, sizeof *e.selected);
    e.over_limit = calloc(e.policy->rule_count, sizeof *e.over_limit);
    e.permit = (struct permit){.cli = cli, .policy = e.policy, .plan = &e.plan};
    if (!e.selected || !e.over_limit) {
        cli_mark(cli, STATUS_SOME_FAILED);
    } else if (session_read_request(cli, e.policy, e.selected, &e.request) &&
               session_rules_of(cli, e.policy, OPT_OVER_LIMIT, e.over_limit)) {
        e.request.is_unattended = cli_has(cli, OPT_UNATTENDED);
        e.request.wants_docket = !cli_has(cli, OPT_PREVIEW);
        enforce(&e);
    }
    olv_session_close(&e.session);
    olv_permission_free(e.permit.permission);
    olv_plan_free(&e.plan);
    free(e.over_limit);
    free(e.selected);
    olv_policy_free(e.policy);
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
