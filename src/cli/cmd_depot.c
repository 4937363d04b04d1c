/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/views.h"

#include <errno.h>
#include <limits.h>
#include <string.h>
#include <unistd.h>

enum { SHOW, VERIFY, REBUILD };

/* NULL: none was named, and there is none in its place. False if there is one that cannot be loaded. */
static bool load_policy_if_any(struct cli *cli, struct olv_policy **out)
{
    char path[PATH_MAX];
    *out = NULL;
    if (!cli_policy_path(cli, path, sizeof path))
        return false;
    if (!cli_has(cli, OPT_POLICY) && access(path, F_OK) != 0 && errno == ENOENT)
        return true;
    *out = cli_load_policy(cli, path);
    return *out != NULL;
}

/* Without a catalogue, and perhaps without a policy. */
static bool nothing_is_stored(struct cli *cli)
{
    struct olv_policy *policy;
    struct olv_error err = {0};
    bool ok = load_policy_if_any(cli, &policy) &&
              (!policy || olv_depots_are_empty(policy, &err) || cli_report(cli, &err));
    olv_policy_free(policy);
    return ok;
}

/* A misspelt name would be told to be sound: it must be known to the catalogue or to the policy. */
static bool is_known(struct cli *cli, const char *name, struct olv_catalogue *catalogue)
{
    struct olv_policy *policy;
    struct olv_error err = {0};
    enum olv_truth known = catalogue ? olv_catalogue_has_depot(catalogue, name, &err) : OLV_NO;
    if (known == OLV_UNKNOWN)
        return cli_report(cli, &err);
    if (known == OLV_YES)
        return true;
    if (!load_policy_if_any(cli, &policy))
        return false;
    for (size_t i = 0; policy && i < policy->depot_count; i++)
        if (strcmp(policy->depots[i].name, name) == 0)
            known = OLV_YES;
    olv_policy_free(policy);
    return known == OLV_YES || cli_usage(cli, "neither the catalogue nor the policy has a depot `%s`", name);
}

static bool cmd_depot_verify(struct depot_view *l, struct olv_catalogue *catalogue)
{
    struct olv_depot_report report = {0};
    struct olv_error err = {0};
    if (!catalogue && !nothing_is_stored(l->cli))
        return false;
    if (catalogue &&
        (!olv_depot_verify(catalogue, l->depot, depot_view_fault, l, &l->cli->observer, &report, &err) ||
         !depot_view_list_unfinished(l, catalogue, &err)))
        return cli_report(l->cli, &err);
    watch_print_troubles(l->cli);
    depot_view_verified(l, &report);
    if (l->unfinished)
        cli_mark(l->cli, STATUS_SOME_FAILED);
    if (l->faults)
        cli_mark(l->cli, STATUS_BROKEN);
    return true;
}

static bool rebuild(struct depot_view *l, const struct olv_policy *policy)
{
    struct olv_depot_report sum = {0};
    struct olv_error err = {0};
    char state[PATH_MAX];
    if (!cli_state_path(l->cli, state, sizeof state))
        return false;
    if (!olv_depots_rebuild(state, policy, l->depot, depot_view_fault, l, &l->cli->observer, &sum, &err))
        return cli_report(l->cli, &err);
    watch_print_troubles(l->cli);
    depot_view_rebuilt(l, &sum);
    if (l->faults)
        cli_mark(l->cli, sum.damaged_archives ? STATUS_BROKEN : STATUS_SOME_FAILED);
    return true;
}

static void cmd_depot_run(struct cli *cli)
{
    struct depot_view l = {.cli = cli, .depot = cli->argument_count ? cli->arguments[0] : NULL};
    struct olv_policy *policy = cli->word == REBUILD ? cli_policy(cli) : NULL;
    struct olv_catalogue *catalogue = NULL;
    bool is_open = cli->word != REBUILD && items_open_catalogue(cli, &catalogue) &&
                   (!l.depot || is_known(cli, l.depot, catalogue));
    if (policy)
        rebuild(&l, policy);
    else if (is_open && cli->word == SHOW)
        depot_view_show(&l, catalogue);
    else if (is_open)
        cmd_depot_verify(&l, catalogue);
    olv_policy_free(policy);
    olv_catalogue_close(catalogue);
}

const struct cli_command cmd_depot = {
    .name = "depot",
    .stage = "Keep",
    .words = {[SHOW] = "show", [VERIFY] = "verify", [REBUILD] = "rebuild"},
    .arguments = "[NAME]",
    .summary = "Shows what is in depots, verifies it, or rebuilds the catalogue",
    .run = cmd_depot_run,
};
