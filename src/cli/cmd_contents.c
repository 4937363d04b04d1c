/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/views.h"

struct listing {
    struct cli *cli;
    struct olv_archive *archive;
    struct patterns patterns;
    struct olv_member_filter filter;
    struct table *table;
    uint64_t members, bytes;
};

static void list_member(void *self, const struct olv_member *m)
{
    struct listing *l = self;
    l->members++;
    l->bytes += m->size_bytes;
    if (l->table)
        member_view_row(l->table, m);
    else if (cli_has(l->cli, OPT_JSON))
        member_view_json(m);
}

static void print_total(const struct listing *l)
{
    struct olv_text form = {0};
    uint64_t size = olv_archive_size(l->archive);
    archive_view_describe(l->archive, &form);
    printf("%s, %s", COUNT(l->members, "member", "members"), SIZE(l->bytes));
    if (l->filter.count == 0 && l->bytes)
        printf(", in %s (%.1f %%)", SIZE(size), 100.0 * (double)size / (double)l->bytes);
    printf("; %s\n", olv_text_string(&form));
    olv_text_free(&form);
}

static void contents(struct listing *l)
{
    static const struct table_column columns[] = {{.heading = "Mode", .width = 10},
                                                  {.heading = "Owner", .width = 11},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Modified", .width = 16},
                                                  {.heading = "Path", .is_elastic = true}};
    struct olv_error err = {0};
    bool ok;
    l->table = cli_has(l->cli, OPT_QUIET) ? NULL : table_begin(l->cli, columns, 5);
    ok = olv_archive_each(l->archive, &l->filter, list_member, l, &l->cli->observer, &err);
    table_end(l->table);
    watch_clear(l->cli);
    if (!ok && !*err.path)
        olv_error_at(&err, l->cli->arguments[0]);
    if (!ok)
        cli_report(l->cli, &err);
    else if (l->members == 0 && l->filter.count)
        archive_view_nothing(l->cli);
    else if (!cli_has(l->cli, OPT_JSON))
        print_total(l);
}

static void cmd_contents_run(struct cli *cli)
{
    struct listing l = {.cli = cli};
    l.archive = archive_view_open(cli, &l.patterns, &l.filter);
    if (l.archive)
        contents(&l);
    olv_archive_close(l.archive);
    patterns_free(&l.patterns);
}

const struct cli_command cmd_contents = {
    .name = "contents",
    .stage = "Keep",
    .arguments = "ARCHIVE [PATTERN…]",
    .summary = "Lists what is in any archive, ours or another's",
    .run = cmd_contents_run,
};
