/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"

enum {
    EVERYTHING = 1u << OLV_KIND_FILE | 1u << OLV_KIND_DIRECTORY | 1u << OLV_KIND_LINK | 1u << OLV_KIND_PIPE |
                 1u << OLV_KIND_DEVICE
};

static const struct olv_depot *depot_of(struct cli *cli, const struct olv_policy *policy)
{
    const char *names[100];
    int found;
    for (size_t i = 0; i < policy->depot_count; i++)
        names[i] = policy->depots[i].name;
    found = cli_choose(cli, "the policy has no depot", cli_value(cli, OPT_DEPOT), names, policy->depot_count);
    return found < 0 ? NULL : &policy->depots[found];
}

/* Where it goes, which is its argument `into`. */
static bool say_where(struct cli *cli, const struct olv_policy *policy, struct olv_arguments *how)
{
    const struct olv_depot *depot = policy ? depot_of(cli, policy) : NULL;
    struct olv_text path = {0};
    struct olv_error err = {0};
    bool ok = !policy || depot;
    if (ok)
        ok = ((depot ? olv_named_archive_in(depot, cli_value(cli, OPT_PACK), &path, &err)
                     : olv_named_archive(cli_value(cli, OPT_TO), &path, &err)) &&
              olv_arguments_set(how, "into", olv_text_string(&path), &err)) ||
             cli_report(cli, &err);
    olv_text_free(&path);
    return ok && by_hand_complete(cli, how, depot);
}

static void cmd_archive_run(struct cli *cli)
{
    struct by_hand act = {.verb = "archive",
                          .consequence = "Each original goes once the archive was read back.",
                          .nothing = "there is nothing to archive",
                          .takes_files = !cli_has(cli, OPT_KEEP),
                          .named = {.kinds = EVERYTHING, .act = olv_act_named("archive")}};
    struct olv_policy *policy = NULL;
    struct olv_arguments how = {0};
    bool ok = cli_has(cli, OPT_TO) != cli_has(cli, OPT_DEPOT) ||
              cli_usage(cli, "say where to: --to FILE, or --depot NAME");
    if (ok && cli_has(cli, OPT_DEPOT))
        ok = (policy = cli_policy(cli));
    if (ok && by_hand_arguments(cli, act.named.act, &how) && say_where(cli, policy, &how)) {
        act.named.arguments = how.values;
        by_hand(cli, &act);
    }
    olv_arguments_free(&how);
    olv_policy_free(policy);
}

const struct cli_command cmd_archive = {
    .name = "archive",
    .stage = "Do",
    .arguments = "PATH… --to FILE | --depot NAME",
    .summary = "Puts files and trees into an archive that any reader of the format opens",
    .options = {OPT_TO, OPT_DEPOT, OPT_PACK, OPT_LEVEL, OPT_KEEP, OPT_YES, OPT_PREVIEW},
    .run = cmd_archive_run,
};
