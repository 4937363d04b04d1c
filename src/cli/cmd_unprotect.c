/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/named_by.h"

static void cmd_unprotect_run(struct cli *cli)
{
    struct olv_arguments how = {0};
    struct by_hand act = {
        .verb = "unprotect",
        .consequence = cli_has(cli, OPT_ANYWAY)
                           ? "This also lifts what Olvido did not set, or does not know of."
                           : "Then it can be changed and removed again.",
        .nothing = "there is nothing to unprotect",
        .takes_files = true,
        .named = {.kinds = 1u << OLV_KIND_FILE | 1u << OLV_KIND_DIRECTORY,
                  .is_marked = true,
                  .is_lifted = true,
                  .is_top_down = true,
                  .upwards = cli_has(cli, OPT_WITH_PARENTS),
                  .directories = cli_has(cli, OPT_TREE) ? OLV_ENTER_DIRECTORIES : OLV_DIRECTORIES_ALONE}};
    if (by_hand_arguments(cli, olv_act_named("unprotect"), &how) && by_hand_complete(cli, &how, NULL)) {
        act.named.act = how.act;
        act.named.arguments = how.values;
        named_by_options(cli, &act);
    }
    olv_arguments_free(&how);
}

const struct cli_command cmd_unprotect = {
    .name = "unprotect",
    .stage = "Do",
    .arguments = "[PATH…]",
    .summary = "Lifts the protection that Olvido set",
    .options = {OPT_TREE, OPT_WITH_PARENTS, OPT_ANYWAY, OPT_MATCHING, OPT_NAMES_FROM, OPT_WHERE, OPT_EACH,
                OPT_YES, OPT_PREVIEW},
    .run = cmd_unprotect_run,
};
