/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/docket_view.h"
#include "cli/permit.h"
#include "cli/plan_view.h"
#include "cli/run_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/run.h"
#include "olvido/trash.h"

#include <limits.h>
#include <stdlib.h>
#include <string.h>

struct enforcing {
    struct cli *cli;
    struct olv_policy *policy;
    struct olv_plan plan;
    struct plan_request request;
    bool *selected, *in_notice;
    const char *clock_doubt;
    struct permit permit;
};

static bool approve(void *self, struct olv_docket_entry *entry)
{
    struct enforcing *e = self;
    return permit_entry(&e->permit, entry);
}

/* ---- carrying out ---- */

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

static enum cli_status carry_out(struct enforcing *e, struct olv_run *run)
{
    struct olv_approval approval = {approve, e};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    watch_expect(e->cli, e->plan.due_files);
    if (!olv_run_carry_out(run, e->plan.docket, &approval, &result, &err))
        status = cli_report(e->cli, &err);
    permit_explain(&e->permit);
    return cli_worse(status, run_print_result(e->cli, run, &result, true));
}

static enum cli_status decide_and_do(struct enforcing *e, struct olv_run *run)
{
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    if (!olv_run_examine(run, e->policy, e->request.is_unattended, e->in_notice, &e->clock_doubt, &err))
        return cli_report(e->cli, &err);
    e->request.in_notice = e->in_notice;
    e->request.is_clock_off = e->clock_doubt != NULL;
    if (!plan_for(e->cli, e->policy, &e->request, &e->plan, e->selected, &status))
        return status;
    watch_clear(e->cli);
    if (!cli_has(e->cli, OPT_JSON) && !cli_has(e->cli, OPT_QUIET))
        plan_print(e->cli, e->policy, &e->plan, e->selected);
    if (e->clock_doubt && e->request.is_unattended)
        term_message(e->cli, STYLE_WARN, "%s: what cannot be taken back waits", e->clock_doubt);
    status = plan_print_gaps(e->cli, e->policy, &e->plan);
    if (any(e, needs_trash) && !olv_run_prepare(run, e->plan.mounts, e->plan.mount_count, &err))
        return cli_report(e->cli, &err);
    status = cli_worse(status, print_told(e));
    permit_ask(&e->permit);
    if (watch_is_interrupted(e->cli)) {
        term_message(e->cli, STYLE_WARN, "interrupted; nothing was done");
        return STATUS_INTERRUPTED;
    }
    return cli_worse(status, carry_out(e, run));
}

static enum cli_status enforce(struct enforcing *e)
{
    struct olv_guard guard = {0};
    struct olv_run_options options = {
        .command = "enforce", .policy = e->policy, .guard = &guard, .observer = &e->cli->observer};
    char state[PATH_MAX], trash[PATH_MAX];
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_run *run;
    if (!cli_state_path(e->cli, state, sizeof state, &status))
        return status;
    if (olv_trash_home(trash, sizeof trash, &err))
        options.trash = trash;
    options.state = state;
    run = olv_run_open(&options, &err);
    if (!run)
        return cli_report(e->cli, &err);
    run_print_settled(e->cli, run);
    plan_guard(e->cli, e->policy->path, e->policy, &guard);
    status = decide_and_do(e, run);
    olv_run_close(run);
    olv_guard_free(&guard);
    return status;
}

static enum cli_status preview(struct enforcing *e)
{
    enum cli_status status = STATUS_DONE;
    e->request.wants_docket = false;
    if (!plan_for(e->cli, e->policy, &e->request, &e->plan, e->selected, &status))
        return status;
    watch_clear(e->cli);
    if (cli_has(e->cli, OPT_JSON))
        plan_print_json(e->policy, &e->plan);
    else
        plan_print(e->cli, e->policy, &e->plan, e->selected);
    return plan_print_gaps(e->cli, e->policy, &e->plan);
}

static enum cli_status run_with(struct enforcing *e)
{
    size_t rules = e->policy->rule_count;
    enum cli_status status = STATUS_SOME_FAILED;
    e->selected = calloc(rules, sizeof *e->selected);
    e->in_notice = calloc(rules + 1, sizeof *e->in_notice);
    e->permit = (struct permit){.cli = e->cli,
                                .policy = e->policy,
                                .plan = &e->plan,
                                .selected = e->selected,
                                .may_end = calloc(rules, sizeof *e->permit.may_end),
                                .answers = calloc(rules + 1, sizeof *e->permit.answers)};
    e->request.wants_docket = true;
    e->request.is_unattended = cli_has(e->cli, OPT_UNATTENDED);
    if (e->selected && e->in_notice && e->permit.answers && e->permit.may_end)
        status = cli_has(e->cli, OPT_PREVIEW) ? preview(e) : enforce(e);
    olv_plan_free(&e->plan);
    free(e->permit.answers);
    free(e->permit.may_end);
    free(e->in_notice);
    free(e->selected);
    return status;
}

static enum cli_status run(struct cli *cli)
{
    struct enforcing e = {.cli = cli};
    enum cli_status status = STATUS_DONE;
    char path[PATH_MAX];
    if (!cli_policy_path(cli, path, sizeof path, &status))
        return status;
    e.policy = cli_load_policy(cli, path, &status);
    if (!e.policy)
        return status;
    status = run_with(&e);
    olv_policy_free(e.policy);
    return status;
}

static const enum cli_option options[] = {OPT_YES,  OPT_COUNT_TYPED, OPT_UNATTENDED,
                                          OPT_RULE, OPT_PREVIEW,     OPT_NONE};

const struct cli_command cmd_enforce = {
    .name = "enforce",
    .stage = "Do",
    .arguments = "",
    .summary = "Carries the policy out, on the record",
    .help =
        "Shows what is due, then asks once for each rule: no, yes, each (file by file), list, or stop. "
        "The first letter will\n"
        "do. A rule that would exceed the policy's limits says so in its question. --yes answers beforehand. "
        "Without a terminal\n"
        "nothing is asked, and what was not allowed is left undone. What cannot be taken back (the policy's "
        "`trash`) needs its\n"
        "count typed from ten on; --count N gives it beforehand.\n"
        "--unattended, for timers, asks nothing: it does only the steps that the policy marks `unattended: "
        "yes`, "
        "refuses a rule\n"
        "that exceeds a limit as a whole, and lets what cannot be taken back wait while a rule is new or "
        "changed "
        "or the clock\n"
        "is in doubt.\n"
        "Ctrl-C finishes the file under way, and the ledger says how far it went. What was discarded "
        "lies in the trash:\n"
        "the last line says how to take it back.\n",
    .options = options,
    .run = run,
};
