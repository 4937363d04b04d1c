/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/habits.h"
#include "cli/views.h"

#include <limits.h>
#include <sys/stat.h>

static void show_version(struct found_view *r, const struct olv_found_item *found)
{
    struct olv_text place = {0};
    olv_text_printf(&place, "%s%s", *found->depot ? "depot " : "trash", found->depot);
    table_date(r->table, STYLE_PLAIN, found->modified);
    table_date(r->table, STYLE_PLAIN, found->deleted);
    table_size(r->table, STYLE_PLAIN, found->size_bytes);
    table_text(r->table, STYLE_PLAIN, &place);
}

void found_view_each(void *self, const struct olv_found_item *found)
{
    struct found_view *r = self;
    struct olv_text path = {0};
    r->found++;
    r->bytes += found->size_bytes;
    r->files += found->files;
    r->directories += found->trash && found->kind == OLV_KIND_DIRECTORY;
    r->older_versions += found->older_versions;
    if (!r->lists)
        return;
    if (cli_has(r->cli, OPT_JSON)) {
        items_print_json(found, true);
        return;
    }
    term_name(&path, found->target);
    if (found->kind == OLV_KIND_DIRECTORY)
        olv_text_puts(&path, "/");
    if (found->kind == OLV_KIND_DIRECTORY && found->trash)
        olv_text_printf(&path, " (%s)", COUNT(found->files, "file", "files"));
    if (r->shows_versions) {
        show_version(r, found);
    } else {
        if (*found->depot)
            olv_text_printf(&path, ", from depot %s", found->depot);
        else if (!found->trash && found->kind == OLV_KIND_DIRECTORY)
            olv_text_puts(&path, ", an empty directory, is made again");
        else if (!found->trash)
            olv_text_puts(&path, ", a copy, is taken away");
        if (found->older_versions)
            olv_text_printf(&path, " (and %s older)", NUMBER(found->older_versions));
        table_date(r->table, STYLE_PLAIN, found->deleted);
        table_size(r->table, STYLE_PLAIN, found->size_bytes);
    }
    table_text(r->table, STYLE_PLAIN, &path);
}

static void take_back_each(void *self, const struct olv_inverse *inverse, const struct olv_stat *stat)
{
    struct found_view *r = self;
    const struct olv_found_item found = {.path = inverse->makes_it ? inverse->path : inverse->original,
                                         .target = inverse->path,
                                         .item = "",
                                         .depot = "",
                                         .deleted = stat->modified,
                                         .modified = stat->modified,
                                         .size_bytes = stat->size_bytes,
                                         .files = inverse->makes_it ? 0 : 1,
                                         .kind = stat->kind};
    found_view_each(r, &found);
}

/* What goes elsewhere, or is chosen in another way, is what was put away. */
static bool takes_back(const struct cli *cli)
{
    return cli_has(cli, OPT_RUN) && cli->argument_count == 0 && !cli_has(cli, OPT_INTO) &&
           !cli_has(cli, OPT_SINCE) && !cli_has(cli, OPT_UNTIL) && !cli_has(cli, OPT_AS_OF);
}

bool found_view_take_back(struct found_view *r, const struct olv_session *session, struct olv_spool *docket,
                          struct olv_error *err)
{
    return !takes_back(r->cli) ||
           olv_session_take_back(session, cli_value(r->cli, OPT_RUN), docket, take_back_each, r, err);
}

bool found_view_list(struct found_view *r, const struct olv_session *session, struct olv_item_query *query)
{
    static const struct table_column columns[] = {{.heading = "Put away", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Goes back to", .is_elastic = true}},
                                     versions[] = {{.heading = "Modified", .width = 16},
                                                   {.heading = "Put away", .width = 16},
                                                   {.heading = "Size", .is_right = true, .width = 10},
                                                   {.heading = "Lies in", .width = 16},
                                                   {.heading = "Goes back to", .is_elastic = true}};
    struct olv_error err = {0};
    bool ok;
    r->lists = true;
    r->table = r->shows_versions ? table_begin(r->cli, versions, 5) : table_begin(r->cli, columns, 3);
    ok = olv_items_find(session->trashes, query, NULL, found_view_each, r, &err) &&
         found_view_take_back(r, session, NULL, &err);
    table_end(r->table);
    if (!ok)
        return cli_report(r->cli, &err);
    if (cli_has(r->cli, OPT_JSON) || cli_has(r->cli, OPT_QUIET))
        return true;
    printf("%s, ",
           COUNT(r->found, r->shows_versions ? "version" : "item", r->shows_versions ? "versions" : "items"));
    if (r->directories)
        printf("%s, ", FILES(r->files, r->directories));
    printf("%s, can be recovered\n", SIZE(r->bytes));
    return true;
}

void found_view_nothing(struct found_view *r)
{
    const char *run = cli_value(r->cli, OPT_RUN);
    char state[PATH_MAX];
    if (run && cli_state_path(r->cli, state, sizeof state) && !olv_ledger_has_run(state, run)) {
        cli_usage(r->cli, "the ledger has no run %s; `olvido audit show` lists the runs", run);
        return;
    }
    term_message(r->cli, STYLE_WARN,
                 takes_back(r->cli)
                     ? "nothing in the trash or a depot matches, and there is no copy to take away"
                     : "nothing in the trash or a depot matches");
    fprintf(stderr, "  `olvido recover --list` shows all that can be recovered\n");
    cli_mark(r->cli, STATUS_SOME_FAILED);
}

/* With --if-exists ask: what to do if an item's place is taken. */
bool found_view_approve(void *self, struct olv_docket_entry *entry)
{
    static const char *const answers[] = {"no", "number", "set-aside", "replace", "stop", NULL};
    static const enum olv_if_exists choices[] = {OLV_REFUSE, OLV_NUMBER, OLV_SET_ASIDE, OLV_REPLACE};
    struct found_view *r = self;
    struct olv_text question = {0};
    struct stat st;
    int answer;
    if (r->is_stopped || !r->asks || lstat(entry->target, &st) < 0)
        return !r->is_stopped;
    watch_clear(r->cli);
    term_name(&question, entry->target);
    olv_text_puts(&question, " exists. Recover the other one under a numbered name (number), rename the "
                             "existing one (set-aside), or replace it?");
    if (!cli_has(r->cli, OPT_IF_EXISTS))
        habits_origin(r->cli, OLV_SET_IF_EXISTS, &question);
    answer = ask(r->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    r->is_stopped = answer < 0 || answer == 4;
    if (answer > 0 && answer < 4)
        entry->if_exists = choices[answer];
    return answer > 0 && answer < 4;
}
