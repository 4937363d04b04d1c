/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/archive_view.h"
#include "cli/commands.h"
#include "cli/member_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/quantity.h"

struct listing {
    struct cli *cli;
    struct olv_archive *archive;
    struct olv_member_filter filter;
    struct table *table;
    uint64_t members, bytes;
};

/* A single packed file does not say how large it is: it is read. */
static bool measure(struct listing *l, struct olv_member *m, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at;
    while (len) {
        if (!olv_archive_data(l->archive, &bytes, &len, &at, err))
            return false;
        m->size_bytes += len;
        olv_observe_progress(
            &l->cli->observer,
            (struct olv_progress){.doing = "reading", .bytes = olv_archive_position(l->archive)});
        if (olv_observe_interrupted(&l->cli->observer))
            return olv_fail(err, OLV_INTERRUPTED, "interrupted");
    }
    return true;
}

static bool list_member(struct listing *l, struct olv_member *m, struct olv_error *err)
{
    if (olv_observe_interrupted(&l->cli->observer))
        return olv_fail(err, OLV_INTERRUPTED, "interrupted");
    olv_observe_progress(&l->cli->observer, (struct olv_progress){.doing = "reading",
                                                                  .files = l->members,
                                                                  .bytes = olv_archive_position(l->archive)});
    if (!olv_member_fits(&l->filter, m->path))
        return true;
    if (olv_archive_form(l->archive) == OLV_FORM_SINGLE && !measure(l, m, err))
        return false;
    l->members++;
    l->bytes += m->size_bytes;
    if (l->table)
        member_view_row(l->table, m);
    else if (cli_has(l->cli, OPT_JSON))
        member_view_json(m);
    return true;
}

/* Goes on behind damage, and tells in the end what was met first. */
static bool cmd_contents_list(struct listing *l, struct olv_error *err)
{
    struct olv_error damage = {0};
    struct olv_member m;
    for (;;) {
        if (olv_archive_next(l->archive, &m, err)) {
            if (!list_member(l, &m, err))
                return false;
            continue;
        }
        if (err->code == OLV_OK)
            break;
        if (damage.code == OLV_OK)
            damage = *err;
        if (err->code != OLV_BROKEN)
            return false;
        olv_error_clear(err);
        if (!olv_archive_go_on(l->archive, err))
            break;
    }
    if (err->code == OLV_OK)
        *err = damage;
    return err->code == OLV_OK;
}

static void print_total(const struct listing *l)
{
    struct olv_text line = {0};
    char plain[OLV_SIZE_TEXT], packed[OLV_SIZE_TEXT];
    uint64_t size = olv_archive_size(l->archive);
    term_count(&line, l->members, "member", "members");
    olv_text_printf(&line, ", %s", olv_size_format(l->bytes, plain));
    if (l->filter.count == 0 && l->bytes)
        olv_text_printf(&line, ", in %s (%.1f %%)", olv_size_format(size, packed),
                        100.0 * (double)size / (double)l->bytes);
    olv_text_puts(&line, "; ");
    archive_view_describe(l->archive, &line);
    printf("%s\n", olv_text_string(&line));
    olv_text_free(&line);
}

static enum cli_status contents(struct listing *l)
{
    static const struct table_column columns[] = {{.heading = "Mode", .width = 10},
                                                  {.heading = "Owner", .width = 11},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Modified", .width = 16},
                                                  {.heading = "Path", .is_elastic = true}};
    struct olv_error err = {0};
    bool ok;
    if (!cli_has(l->cli, OPT_JSON) && !cli_has(l->cli, OPT_QUIET))
        l->table = table_begin(l->cli, columns, 5);
    ok = cmd_contents_list(l, &err);
    table_end(l->table);
    watch_clear(l->cli);
    if (!ok && !*err.path)
        olv_error_at(&err, l->cli->arguments[0]);
    if (!ok)
        return cli_report(l->cli, &err);
    if (l->members == 0 && l->filter.count) {
        term_message(l->cli, STYLE_WARN, "the archive has nothing that fits");
        return STATUS_SOME_FAILED;
    }
    if (!cli_has(l->cli, OPT_JSON))
        print_total(l);
    return STATUS_DONE;
}

static enum cli_status cmd_contents_run(struct cli *cli)
{
    struct listing l = {.cli = cli};
    enum cli_status status = STATUS_DONE;
    l.archive = archive_view_open(cli, &l.filter, &status);
    if (l.archive)
        status = contents(&l);
    olv_archive_close(l.archive);
    return status;
}

static const enum cli_option options[] = {OPT_NONE};

const struct cli_command cmd_contents = {
    .name = "contents",
    .stage = "Keep",
    .arguments = "ARCHIVE [PATTERN…]",
    .summary = "Lists what is in any archive, ours or another's",
    .options = options,
    .least = 1,
    .most = 4096,
    .run = cmd_contents_run,
};
