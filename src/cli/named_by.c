/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/named_by.h"

#include "cli/names_from.h"
#include "cli/patterns.h"

/* As typed: what they are relative to is named, or the working directory. */
static bool read_matching(struct cli *cli, struct patterns *out)
{
    const char *words[MOST_VALUES];
    size_t count = cli->options[OPT_MATCHING].count;
    for (size_t i = 0; i < count; i++)
        words[i] = cli->options[OPT_MATCHING].values[i];
    return patterns_read(cli, PATTERNS_AS_TYPED, words, count, out);
}

static bool check(struct cli *cli, const struct names *names)
{
    if (cli_has(cli, OPT_CONTENTS) && cli_has(cli, OPT_TREE))
        return cli_usage(cli, "--contents keeps the directories, --tree does not: say one of them");
    if (cli_has(cli, OPT_CONTENTS) && cli_has(cli, OPT_MATCHING))
        return cli_usage(cli, "--matching looks in the directories by itself: leave --contents out");
    if (names->count || cli_has(cli, OPT_MATCHING))
        return true;
    return cli_has(cli, OPT_NAMES_FROM) ? cli_usage(cli, "there is no name in the file of --names-from")
                                        : cli_usage(cli,
                                                    "say what to %s: a path, --matching PATTERN or "
                                                    "--names-from FILE",
                                                    cli->command->name);
}

void named_by_options(struct cli *cli, struct by_hand *act)
{
    struct names names = {0};
    struct patterns patterns = {0};
    struct olv_expr *where = NULL;
    bool ok = names_read(cli, &names) && check(cli, &names) && read_matching(cli, &patterns) &&
              cli_where(cli, &where);
    act->paths = names.items;
    act->path_count = names.count;
    act->named.matching = cli_has(cli, OPT_MATCHING) ? patterns.items : NULL;
    act->named.matching_count = patterns.count;
    act->named.where = where;
    if (ok)
        by_hand(cli, act);
    olv_expr_free(where);
    patterns_free(&patterns);
    names_free(&names);
}
