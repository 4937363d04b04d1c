/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/views.h"

#include <errno.h>
#include <limits.h>
#include <unistd.h>

enum { SHOW, VERIFY, REBUILD };

/* Without a catalogue, and perhaps without a policy. */
static bool nothing_is_stored(struct cli *cli)
{
    char path[PATH_MAX];
    struct olv_policy *policy;
    struct olv_error err = {0};
    bool ok;
    if (!cli_policy_path(cli, path, sizeof path))
        return false;
    if (!cli_has(cli, OPT_POLICY) && access(path, F_OK) != 0 && errno == ENOENT)
        return true;
    policy = cli_load_policy(cli, path);
    ok = policy && (olv_depots_are_empty(policy, &err) || cli_report(cli, &err));
    olv_policy_free(policy);
    return ok;
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
    bool is_open = cli->word != REBUILD && items_open_catalogue(cli, &catalogue);
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
