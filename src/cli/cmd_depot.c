/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/depot_view.h"
#include "cli/items_view.h"
#include "cli/term.h"
#include "cli/watch.h"

#include <limits.h>
#include <string.h>
#include <unistd.h>

static bool list_unfinished(struct depot_view *l, struct olv_catalogue *catalogue, struct olv_error *err)
{
    return olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_MAKING, depot_view_unfinished, l, err) &&
           olv_catalogue_unfinished(catalogue, OLV_ARCHIVE_GOING, depot_view_unfinished, l, err);
}

static enum cli_status cmd_depot_show(struct depot_view *l, struct olv_catalogue *catalogue)
{
    static const struct table_column columns[] = {{.heading = "Depot"},
                                                  {.heading = "Made"},
                                                  {.heading = "Members", .is_right = true},
                                                  {.heading = "Contents", .is_right = true},
                                                  {.heading = "Packed", .is_right = true},
                                                  {.heading = "Archive", .is_elastic = true}};
    struct olv_error err = {0};
    bool ok;
    if (!cli_has(l->cli, OPT_JSON))
        l->table = table_begin(l->cli, columns, 6);
    ok = !catalogue || olv_catalogue_archives(catalogue, depot_view_archive, l, &err);
    table_end(l->table);
    ok = ok && (!catalogue || list_unfinished(l, catalogue, &err));
    if (!ok)
        return cli_report(l->cli, &err);
    depot_view_total(l);
    return STATUS_DONE;
}

/* Without a catalogue nothing can be verified: that is sound only where the policy's depots are empty. */
static bool has_archives(struct depot_view *l)
{
    enum cli_status ignored = STATUS_DONE;
    char path[PATH_MAX];
    struct olv_policy *policy =
        cli_policy_path(l->cli, path, sizeof path, &ignored) && access(path, R_OK) == 0
            ? cli_load_policy(l->cli, path, &ignored)
            : NULL;
    uint64_t sum = policy ? olv_depots_count(policy) : 0;
    olv_policy_free(policy);
    if (sum)
        term_message(
            l->cli, STYLE_ERROR,
            "nothing was verified: there is no catalogue, and %llu %s in the policy's depots\n  `olvido "
            "depot rebuild` reads it anew from the archives",
            (unsigned long long)sum, sum == 1 ? "archive lies" : "archives lie");
    return sum > 0;
}

static enum cli_status cmd_depot_verify(struct depot_view *l, struct olv_catalogue *catalogue)
{
    struct olv_depot_report report = {0};
    struct olv_error err = {0};
    if (!catalogue && has_archives(l))
        return STATUS_BROKEN;
    if (catalogue &&
        (!olv_depot_verify(catalogue, l->depot, depot_view_fault, l, &l->cli->observer, &report, &err) ||
         !list_unfinished(l, catalogue, &err)))
        return cli_report(l->cli, &err);
    watch_print_troubles(l->cli);
    depot_view_verified(l, &report);
    return l->faults ? STATUS_BROKEN : l->unfinished ? STATUS_SOME_FAILED : STATUS_DONE;
}

static enum cli_status rebuild_policy(struct depot_view *l, const struct olv_policy *policy)
{
    struct olv_depot_report sum = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    char state[PATH_MAX];
    if (!cli_state_path(l->cli, state, sizeof state, &status))
        return status;
    if (!olv_depots_rebuild(state, policy, l->depot, depot_view_fault, l, &l->cli->observer, &sum, &err))
        return cli_report(l->cli, &err);
    watch_print_troubles(l->cli);
    depot_view_rebuilt(l, &sum);
    return sum.damaged_archives ? STATUS_BROKEN : l->faults ? STATUS_SOME_FAILED : STATUS_DONE;
}

static enum cli_status rebuild(struct depot_view *l)
{
    enum cli_status status = STATUS_DONE;
    struct olv_policy *policy;
    char path[PATH_MAX];
    if (!cli_policy_path(l->cli, path, sizeof path, &status))
        return status;
    policy = cli_load_policy(l->cli, path, &status);
    if (policy)
        status = rebuild_policy(l, policy);
    olv_policy_free(policy);
    return status;
}

static enum cli_status cmd_depot_run(struct cli *cli)
{
    struct depot_view l = {.cli = cli, .depot = cli->argument_count > 1 ? cli->arguments[1] : NULL};
    const char *what = cli->arguments[0];
    enum cli_status status = STATUS_DONE;
    struct olv_catalogue *catalogue = NULL;
    if (strcmp(what, "rebuild") == 0)
        return rebuild(&l);
    if (strcmp(what, "show") != 0 && strcmp(what, "verify") != 0)
        return cli_usage(cli, "`depot` can `show`, `verify` and `rebuild`, not `%s`", what);
    if (!items_open_catalogue(cli, &catalogue, &status))
        return status;
    status = strcmp(what, "show") == 0 ? cmd_depot_show(&l, catalogue) : cmd_depot_verify(&l, catalogue);
    olv_catalogue_close(catalogue);
    return status;
}

static const enum cli_option options[] = {OPT_NONE};

const struct cli_command cmd_depot = {
    .name = "depot",
    .stage = "Keep",
    .arguments = "show|verify|rebuild [NAME]",
    .summary = "Shows what lies in depots, reads it back, or reads the catalogue anew",
    .options = options,
    .least = 1,
    .most = 2,
    .run = cmd_depot_run,
};
