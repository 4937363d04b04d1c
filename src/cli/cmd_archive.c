/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "olvido/calendar.h"
#include "olvido/machine.h"
#include "olvido/path.h"
#include "olvido/trust.h"

#include <limits.h>
#include <stdlib.h>
#include <unistd.h>

enum {
    EVERYTHING = 1u << OLV_KIND_FILE | 1u << OLV_KIND_DIRECTORY | 1u << OLV_KIND_LINK | 1u << OLV_KIND_PIPE |
                 1u << OLV_KIND_DEVICE
};

/* How to pack is said by the end of the archive's name. */
static bool read_pack(struct cli *cli, const char *to, struct olv_manner *how)
{
    how->codec = olv_pack_of_name(to, NULL);
    if (how->codec == OLV_CODEC_COUNT)
        return cli_usage(cli, "the name of the archive says how it is packed: it ends with .tar, .tar.gz, "
                              ".tar.bz2, .tar.xz, .tar.zst or .zip");
    return by_hand_level(cli, how);
}

/* The path of the archive, absolute, in a directory that is there; NULL after saying why. */
static char *absolute(struct cli *cli, const char *to)
{
    const char *name = olv_path_name(to);
    char *above = olv_path_directory(to);
    struct olv_error err = {0};
    char *real = above ? olv_path_resolve(above, &err) : NULL;
    struct olv_text path = {0};
    if (!real && err.code == OLV_UNTRUSTED)
        cli_report(cli, &err);
    else if (!real || !*name)
        cli_usage(cli, "there is no directory %s for the archive", above ? above : "");
    else
        olv_path_add(&path, real, name);
    free(above);
    free(real);
    return path.data;
}

static void archive_to(struct cli *cli, struct by_hand *act)
{
    char *path = read_pack(cli, cli_value(cli, OPT_TO), &act->named.manner)
                     ? absolute(cli, cli_value(cli, OPT_TO))
                     : NULL;
    act->named.manner.into = path;
    if (path && access(path, F_OK) == 0)
        cli_usage(cli, "%s is there already; an archive never replaces anything", path);
    else if (path)
        by_hand(cli, act);
    free(path);
}

/* ---- into a depot ---- */

static const struct olv_depot *find_depot(struct cli *cli, const struct olv_policy *policy)
{
    const char *names[100];
    int depot;
    for (size_t i = 0; i < policy->depot_count; i++)
        names[i] = policy->depots[i].name;
    depot = cli_choose(cli, "the policy has no depot", cli_value(cli, OPT_DEPOT), names, policy->depot_count);
    if (depot < 0)
        return NULL;
    if (access(policy->depots[depot].path, F_OK) == 0)
        return &policy->depots[depot];
    cli_usage(cli, "the depot %s is not there: %s; make that directory, or mount it", names[depot],
              policy->depots[depot].path);
    return NULL;
}

/* "by-hand-20261123-2036.tar.zst": a person finds it by its date. */
static void archive_to_depot(struct cli *cli, struct by_hand *act, const struct olv_depot *depot)
{
    const char *pack = cli_has(cli, OPT_PACK) ? cli_value(cli, OPT_PACK) : olv_pack_word(depot->codec);
    struct olv_date d = olv_date_from_seconds(olv_os_now().s);
    struct olv_manner *how = &act->named.manner;
    char path[PATH_MAX];
    snprintf(path, sizeof path, "%.3900s/by-hand-%04d%02d%02d-%02d%02d.%.16s", depot->path, (int)d.year,
             d.month, d.day, d.hour, d.minute, pack);
    how->depot = depot->name;
    how->into = path;
    if (read_pack(cli, path, how))
        by_hand(cli, act);
    how->into = NULL;
}

static void cmd_archive_run(struct cli *cli)
{
    struct by_hand act = {.verb = "archive",
                          .consequence = "Each original goes once the archive was read back.",
                          .nothing = "there is nothing to archive",
                          .takes_files = !cli_has(cli, OPT_KEEP),
                          .named = {.kinds = EVERYTHING,
                                    .act = olv_act_named("archive"),
                                    .manner = {.keeps = cli_has(cli, OPT_KEEP)}}};
    struct olv_policy *policy = NULL;
    const struct olv_depot *depot;
    if (cli_has(cli, OPT_TO) == cli_has(cli, OPT_DEPOT))
        cli_usage(cli, "say where to: --to FILE, or --depot NAME");
    else if (cli_has(cli, OPT_TO))
        archive_to(cli, &act);
    else
        policy = cli_policy(cli);
    depot = policy ? find_depot(cli, policy) : NULL;
    if (depot)
        archive_to_depot(cli, &act, depot);
    olv_policy_free(policy);
}

static const enum cli_option options[] = {OPT_TO,   OPT_DEPOT, OPT_PACK,    OPT_LEVEL,
                                          OPT_KEEP, OPT_YES,   OPT_PREVIEW, OPT_NONE};

const struct cli_command cmd_archive = {
    .name = "archive",
    .stage = "Do",
    .arguments = "PATH… --to FILE | --depot NAME",
    .summary = "Puts files and trees into an archive that any reader of the format opens",
    .options = options,
    .least = 1,
    .most = 100000,
    .run = cmd_archive_run,
};
