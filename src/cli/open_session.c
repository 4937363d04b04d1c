/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/open_session.h"

#include "cli/views.h"
#include "olvido/machine.h"

#include <limits.h>
#include <stdlib.h>
#include <string.h>

/* ---- the session ---- */

/* For looking only, one doubt is enough. */
static void report_doubts(struct cli *cli, const struct olv_session *session)
{
    const struct olv_error *doubts[] = {&session->catalogue_error, &session->guard_error};
    for (size_t i = 0, told = 0; i < 2 && (session->run || !told); i++)
        if (doubts[i]->code != OLV_OK) {
            cli_print_error(cli, doubts[i]);
            cli_mark(cli, STATUS_SOME_FAILED);
            told++;
        }
}

bool session_open(struct cli *cli, const struct olv_policy *policy, const char *command,
                  struct olv_session *out)
{
    char state[PATH_MAX], path[PATH_MAX];
    struct olv_session_options options = {.state = state,
                                          .policy_path = policy ? policy->path : path,
                                          .policy = policy,
                                          .command = command,
                                          .observer = &cli->observer};
    struct olv_error err = {0};
    *out = (struct olv_session){0};
    if (!cli_state_path(cli, state, sizeof state) || (!policy && !cli_policy_path(cli, path, sizeof path)))
        return false;
    if (!olv_session_open(out, &options, &err))
        return cli_report(cli, &err);
    if (out->run)
        run_print_settled(cli, out->run);
    report_doubts(cli, out);
    return true;
}

bool session_carry_out(struct cli *cli, struct olv_session *session, struct olv_spool *docket,
                       const struct olv_approval *approval, struct olv_run_result *result)
{
    struct olv_error err = {0};
    if (olv_session_carry_out(session, docket, approval, result, &err))
        return true;
    cli_mark(cli, cli_status_of(err.code));
    if (session->guard_error.code == OLV_OK) /* otherwise it was reported */
        cli_print_error(cli, &err);
    if (!result->has_begun)
        term_message(cli, STYLE_WARN, "nothing was done");
    return false;
}

/* ---- the plan ---- */

bool session_rules_of(struct cli *cli, const struct olv_policy *policy, enum cli_option option,
                      bool *selected)
{
    const char *names[1000];
    for (size_t i = 0; i < policy->rule_count; i++)
        names[i] = policy->rules[i].name;
    return cli_words(cli, option, "the policy has no rule", names, policy->rule_count, selected);
}

/* A date alone begins at midnight in the policy's zone. */
static bool read_as_of(struct cli *cli, const struct olv_policy *policy, struct olv_plan_request *out)
{
    enum { DATE_ONLY = 10 };
    bool has;
    out->now = out->as_of = olv_os_now();
    if (!cli_instant(cli, OPT_AS_OF, &out->as_of, &has))
        return false;
    if (has && strlen(cli_value(cli, OPT_AS_OF)) == DATE_ONLY)
        out->as_of.s = olv_zone_seconds(policy->zone, olv_date_from_seconds(out->as_of.s));
    return true;
}

bool session_read_request(struct cli *cli, const struct olv_policy *policy, struct olv_plan_request *out)
{
    bool *selected = cli_has(cli, OPT_RULE) ? calloc(policy->rule_count, sizeof *selected) : NULL;
    *out = (struct olv_plan_request){.selected = selected};
    if (cli_has(cli, OPT_RULE) && !selected)
        return cli_memory(cli);
    return session_rules_of(cli, policy, OPT_RULE, selected) && read_as_of(cli, policy, out);
}

void session_free_request(struct olv_plan_request *request)
{
    free((bool *)(uintptr_t)request->selected);
}

bool session_open_judging(struct cli *cli, const struct olv_policy *policy, struct olv_session *out,
                          struct olv_plan_options *options)
{
    struct olv_plan_request request;
    if (!session_read_request(cli, policy, &request) || !session_open(cli, policy, NULL, out))
        return false;
    *options = olv_session_judging(out, &request);
    return true;
}
