/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/open_session.h"
#include "cli/permit.h"
#include "cli/views.h"

struct enforcing {
    struct cli *cli;
    struct olv_policy *policy;
    struct olv_session session;
    struct olv_plan_request request;
    struct olv_plan plan;
    struct permit permit;
};

static void ask_and_do(struct enforcing *e)
{
    struct cli *cli = e->cli;
    struct olv_approval approval = {permit_entry, &e->permit};
    struct olv_run_result result = {0};
    if (!permit_ask(&e->permit, e->request.selected))
        return;
    if (watch_is_interrupted(cli)) {
        term_message(cli, STYLE_WARN, "interrupted; nothing was done");
        cli_mark(cli, STATUS_INTERRUPTED);
        return;
    }
    watch_expect(cli, e->plan.due.files);
    session_carry_out(cli, &e->session, e->plan.docket, &approval, &result);
    permit_explain(&e->permit);
    run_print_result(cli, e->session.run, &result, true);
}

/* Asked before anything is planned; a clock that nobody vouches for stays doubtful. False: nothing is to be
 * done. */
static bool ask_about_clock(struct enforcing *e)
{
    static const char *const words[] = {"no", "yes", NULL};
    struct cli *cli = e->cli;
    const char *doubt = olv_run_clock_doubt(e->session.run);
    struct olv_text question = {0};
    struct olv_error err = {0};
    bool is_right;
    if (!doubt || !e->permit.allowance.can_ask)
        return true;
    olv_text_printf(&question, "It is %s by the clock of this machine, but %s. Is that the right time?",
                    DATE(e->request.now), doubt);
    is_right = ask(cli, olv_text_string(&question), words) == 1;
    olv_text_free(&question);
    if (is_right)
        return olv_session_believe_clock(&e->session, &err) || cli_report(cli, &err);
    term_message(cli, STYLE_WARN, "nothing was done: set the clock first");
    cli_mark(cli, STATUS_REFUSED);
    return false;
}

static void enforce(struct enforcing *e)
{
    struct cli *cli = e->cli;
    bool looks = cli_has(cli, OPT_PREVIEW);
    const char *clock_doubt = NULL;
    struct olv_error err = {0};
    if (!session_open(cli, e->policy, looks ? NULL : "enforce", &e->session) ||
        (!looks && !ask_about_clock(e)))
        return;
    if (!olv_session_plan(&e->session, e->policy, &e->request, &e->plan, &clock_doubt, &err)) {
        cli_report(cli, &err);
        return;
    }
    watch_clear(cli);
    if (looks || !(cli_has(cli, OPT_JSON) || cli_has(cli, OPT_QUIET)))
        plan_show(cli, e->policy, &e->plan, e->request.selected);
    if (clock_doubt && !looks)
        term_message(cli, STYLE_WARN, "%s: %s", clock_doubt,
                     e->request.is_unattended
                         ? "what cannot be taken back waits"
                         : "what was recovered stays spared. On a terminal you can say that it is right");
    plan_print_gaps(cli, e->policy, &e->plan);
    if (looks)
        return;
    if (!olv_run_prepare(e->session.run, e->plan.mounts, e->plan.mount_count, &err)) {
        cli_report(cli, &err);
        return;
    }
    plan_print_told(cli, &e->plan);
    ask_and_do(e);
}

static void cmd_enforce_run(struct cli *cli)
{
    struct enforcing e = {.cli = cli, .policy = cli_policy(cli)};
    e.permit = (struct permit){.cli = cli, .policy = e.policy, .plan = &e.plan};
    if (e.policy && session_read_request(cli, e.policy, &e.request) && permit_read(&e.permit)) {
        e.request.is_unattended = cli_has(cli, OPT_UNATTENDED);
        e.request.wants_docket = !cli_has(cli, OPT_PREVIEW);
        enforce(&e);
    }
    olv_session_close(&e.session);
    permit_end(&e.permit);
    olv_plan_free(&e.plan);
    session_free_request(&e.request);
    olv_policy_free(e.policy);
}

const struct cli_command cmd_enforce = {
    .name = "enforce",
    .stage = "Do",
    .arguments = "",
    .summary = "Carries the policy out, on the record",
    .options = {OPT_YES, OPT_COUNT_TYPED, OPT_OVER_LIMIT, OPT_UNATTENDED, OPT_RULE, OPT_PREVIEW},
    .run = cmd_enforce_run,
};
