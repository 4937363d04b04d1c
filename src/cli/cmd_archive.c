/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/by_hand.h"
#include "cli/commands.h"
#include "olvido/calendar.h"
#include "olvido/machine.h"
#include "olvido/path.h"
#include "olvido/trust.h"

#include <errno.h>
#include <stdlib.h>
#include <unistd.h>

enum {
    EVERYTHING = 1u << OLV_KIND_FILE | 1u << OLV_KIND_DIRECTORY | 1u << OLV_KIND_LINK | 1u << OLV_KIND_PIPE |
                 1u << OLV_KIND_DEVICE
};

/* How to pack is said by the end of the archive's name. */
static void archive_into(struct cli *cli, struct by_hand *act, const char *path)
{
    struct olv_manner *how = &act->named.manner;
    how->codec = olv_pack_of_name(path, NULL);
    how->into = path;
    if (how->codec == OLV_CODEC_COUNT)
        cli_usage(cli, "the name of the archive says how it is packed: it ends with .tar, .tar.gz, .tar.bz2, "
                       ".tar.xz, .tar.zst or .zip");
    else if (!how->depot && access(path, F_OK) == 0)
        cli_usage(cli, "%s is there already; an archive never replaces anything", path);
    else if (by_hand_level(cli, how))
        by_hand(cli, act);
}

/* Its path is to be absolute, in a directory that is there. */
static void archive_to(struct cli *cli, struct by_hand *act, const char *to)
{
    char *above = olv_path_directory(to);
    struct olv_error err = {0};
    char *real = above ? olv_path_resolve(above, &err) : NULL;
    struct olv_text path = {0};
    if (real)
        olv_path_add(&path, real, olv_path_name(to));
    if (!above || path.failed)
        cli_memory(cli);
    else if (!real && err.sys != ENOENT && err.sys != ENOTDIR)
        cli_report(cli, &err);
    else if (!*olv_path_name(to))
        cli_usage(cli, "%s names a directory; the archive is a file, and needs a name", to);
    else if (!real)
        cli_usage(cli, "there is no directory %s for the archive", above);
    else
        archive_into(cli, act, path.data);
    free(above);
    free(real);
    olv_text_free(&path);
}

/* "by-hand-20261123-2036.tar.zst": a person finds it by its date. */
static void archive_to_depot(struct cli *cli, struct by_hand *act, const struct olv_policy *policy)
{
    const char *names[100], *pack = cli_value(cli, OPT_PACK);
    struct olv_date d = olv_date_from_seconds(olv_os_now().s);
    struct olv_text path = {0};
    int found;
    for (size_t i = 0; i < policy->depot_count; i++)
        names[i] = policy->depots[i].name;
    found = cli_choose(cli, "the policy has no depot", cli_value(cli, OPT_DEPOT), names, policy->depot_count);
    if (found >= 0) {
        const struct olv_depot *depot = &policy->depots[found];
        olv_text_printf(&path, "%s/by-hand-%04d%02d%02d-%02d%02d.%s", depot->path, (int)d.year, d.month,
                        d.day, d.hour, d.minute, pack ? pack : olv_pack_word(depot->codec));
        act->named.manner.depot = depot->name;
        if (access(depot->path, F_OK) != 0)
            cli_usage(cli, "the depot %s is not there: %s; make that directory, or mount it", depot->name,
                      depot->path);
        else if (!path.failed)
            archive_into(cli, act, path.data);
        else
            cli_memory(cli);
    }
    olv_text_free(&path);
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
    if (cli_has(cli, OPT_TO) == cli_has(cli, OPT_DEPOT))
        cli_usage(cli, "say where to: --to FILE, or --depot NAME");
    else if (cli_has(cli, OPT_TO))
        archive_to(cli, &act, cli_value(cli, OPT_TO));
    else if ((policy = cli_policy(cli)))
        archive_to_depot(cli, &act, policy);
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
