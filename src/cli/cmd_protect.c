/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/named_by.h"
#include "cli/views.h"
#include "olvido/protection.h"

static const char *consequence_of(const struct olv_arguments *how)
{
    switch (olv_argument_number(how->act, how->values, "as")) {
    case OLV_FROZEN:
        return "Then nobody changes, moves, links or removes it, not even root, until `olvido unprotect`.";
    case OLV_APPEND_ONLY:
        return "Then it only grows, also for root, until `olvido unprotect`.";
    default:
        return "Then nobody but root writes it, until `olvido unprotect`.";
    }
}

static void protect_named(struct cli *cli, struct olv_arguments *how)
{
    bool is_frozen = olv_argument_number(how->act, how->values, "as") == OLV_FROZEN;
    struct by_hand act = {
        .verb = "protect",
        .consequence = consequence_of(how),
        .nothing = "there is nothing to protect",
        .takes_files = true,
        .named = {.act = how->act,
                  .arguments = how->values,
                  .kinds = 1u << OLV_KIND_FILE | 1u << OLV_KIND_DIRECTORY,
                  .is_marked = true,
                  .upwards = cli_has(cli, OPT_WITH_PARENTS),
                  .directories = cli_has(cli, OPT_TREE) ? OLV_ENTER_DIRECTORIES : OLV_DIRECTORIES_ALONE}};
    if (act.named.upwards && !is_frozen)
        cli_usage(cli, "--with-parents freezes the directories above: it goes with --as frozen");
    else
        named_by_options(cli, &act);
}

static void show(struct cli *cli)
{
    const char *const here[] = {"."};
    if (cli_has(cli, OPT_LEVEL_OF_PROTECTION) || cli_has(cli, OPT_WITH_PARENTS) || cli_has(cli, OPT_PREVIEW))
        cli_usage(cli, "--show only looks: leave the other options out");
    else
        protection_show(cli, cli->argument_count ? cli->arguments : here,
                        cli->argument_count ? cli->argument_count : 1);
}

static void cmd_protect_run(struct cli *cli)
{
    struct olv_arguments how = {0};
    if (cli_has(cli, OPT_SHOW))
        show(cli);
    else if (!cli_has(cli, OPT_LEVEL_OF_PROTECTION))
        cli_usage(cli, "say how far: --as readonly, --as append-only or --as frozen");
    else if (by_hand_arguments(cli, olv_act_named("protect"), &how) && by_hand_complete(cli, &how, NULL))
        protect_named(cli, &how);
    olv_arguments_free(&how);
}

const struct cli_command cmd_protect = {
    .name = "protect",
    .stage = "Do",
    .arguments = "[PATH…]",
    .summary = "Protects files and directories from change and removal, also by root",
    .options = {OPT_LEVEL_OF_PROTECTION, OPT_TREE, OPT_WITH_PARENTS, OPT_OPEN_TOO, OPT_MATCHING,
                OPT_NAMES_FROM, OPT_WHERE, OPT_EACH, OPT_YES, OPT_PREVIEW, OPT_SHOW},
    .run = cmd_protect_run,
};
