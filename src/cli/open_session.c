/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/open_session.h"

#include "cli/run_view.h"
#include "cli/term.h"
#include "olvido/machine.h"
#include "olvido/nearest.h"

#include <limits.h>
#include <string.h>

/* ---- the session ---- */

/* Whoever only looks sees the rest, and hears it once. */
static void report_doubt(struct cli *cli, const struct olv_error *err, bool only_looks)
{
    if (err->code == OLV_OK || (only_looks && cli->is_unsure))
        return;
    cli_report(cli, err);
    cli->is_unsure = true;
}

bool session_open(struct cli *cli, const struct olv_policy *policy, const char *command,
                  struct olv_session *out, enum cli_status *status)
{
    char state[PATH_MAX], path[PATH_MAX];
    struct olv_session_options options = {.state = state,
                                          .policy_path = policy ? policy->path : path,
                                          .policy = policy,
                                          .command = command,
                                          .observer = &cli->observer};
    struct olv_error err = {0};
    *out = (struct olv_session){0};
    if (!cli_state_path(cli, state, sizeof state, status) ||
        (!policy && !cli_policy_path(cli, path, sizeof path, status)))
        return false;
    if (!olv_session_open(out, &options, &err)) {
        *status = cli_report(cli, &err);
        return false;
    }
    if (out->run)
        run_print_settled(cli, out->run);
    report_doubt(cli, &out->catalogue_error, !out->run);
    report_doubt(cli, &out->guard_error, !out->run);
    return true;
}

bool session_carry_out(struct cli *cli, struct olv_session *session, struct olv_spool *docket,
                       const struct olv_approval *approval, struct olv_run_result *result,
                       enum cli_status *status)
{
    struct olv_error err = {0};
    if (olv_session_carry_out(session, docket, approval, result, &err))
        return true;
    *status = session->guard_error.code == OLV_OK ? cli_report(cli, &err) : cli_status_of(err.code);
    if (!result->has_begun)
        term_message(cli, STYLE_WARN, "nothing was done");
    return false;
}

/* ---- the plan ---- */

static bool select_rule(struct cli *cli, const struct olv_policy *policy, const char *name, bool *selected,
                        enum cli_status *status)
{
    const char *names[1000], *near;
    for (size_t i = 0; i < policy->rule_count; i++) {
        names[i] = policy->rules[i].name;
        if (strcmp(names[i], name) != 0)
            continue;
        selected[i] = true;
        return true;
    }
    near = olv_nearest(name, strlen(name), names, policy->rule_count);
    *status = cli_usage(cli, "the policy has no rule `%s`%s%s%s", name, near ? "; did you mean `" : "",
                        near ? near : "", near ? "`?" : "");
    return false;
}

bool session_rules_of(struct cli *cli, const struct olv_policy *policy, enum cli_option option,
                      bool *selected, enum cli_status *status)
{
    for (size_t i = 0; selected && i < cli->options[option].count; i++)
        if (!select_rule(cli, policy, cli->options[option].values[i], selected, status))
            return false;
    return true;
}

/* A date alone begins where the policy is. */
static bool read_as_of(struct cli *cli, const struct olv_policy *policy, struct olv_plan_request *out,
                       enum cli_status *status)
{
    enum { DATE_ONLY = 10 };
    const char *text = cli_value(cli, OPT_AS_OF);
    out->now = out->as_of = olv_os_now();
    if (!text)
        return true;
    if (!cli_instant(cli, OPT_AS_OF, &out->as_of, status))
        return false;
    if (strlen(text) == DATE_ONLY)
        out->as_of.s = olv_zone_seconds(policy->zone, olv_date_from_seconds(out->as_of.s));
    return true;
}

bool session_read_request(struct cli *cli, const struct olv_policy *policy, bool *selected,
                          struct olv_plan_request *out, enum cli_status *status)
{
    *out = (struct olv_plan_request){.selected = cli_has(cli, OPT_RULE) ? selected : NULL};
    for (size_t i = 0; selected && i < policy->rule_count; i++)
        selected[i] = !cli_has(cli, OPT_RULE);
    return session_rules_of(cli, policy, OPT_RULE, selected, status) && read_as_of(cli, policy, out, status);
}

bool session_open_judging(struct cli *cli, const struct olv_policy *policy, struct olv_session *out,
                          struct olv_plan_options *options, enum cli_status *status)
{
    struct olv_plan_request request;
    if (!session_read_request(cli, policy, NULL, &request, status) ||
        !session_open(cli, policy, NULL, out, status))
        return false;
    *options = olv_session_judging(out, &request);
    return true;
}
