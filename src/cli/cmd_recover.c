/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/items_view.h"
#include "cli/open_session.h"
#include "cli/run_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/ledger.h"
#include "olvido/quantity.h"

#include <limits.h>
#include <string.h>
#include <sys/stat.h>

struct recovering {
    struct cli *cli;
    struct items_request request;
    bool only_list, shows_versions, asks;
    bool is_stopped; /* answered `stop`: nothing more */
    struct table *table;
    uint64_t found, bytes, older_versions;
};

/* ---- what is asked for ---- */

static bool read_if_exists(struct recovering *r, enum cli_status *status)
{
    const char *words[OLV_IF_EXISTS_COUNT + 1];
    int word;
    if (!cli_has(r->cli, OPT_IF_EXISTS))
        return true;
    for (int i = 0; i < OLV_IF_EXISTS_COUNT; i++)
        words[i] = olv_if_exists_word((enum olv_if_exists)i);
    words[OLV_IF_EXISTS_COUNT] = "ask";
    word = cli_word(r->cli, OPT_IF_EXISTS, words, OLV_IF_EXISTS_COUNT + 1, status);
    r->asks = word == OLV_IF_EXISTS_COUNT;
    r->request.query.if_exists = word < 0 || r->asks ? OLV_REFUSE : (enum olv_if_exists)word;
    return word >= 0;
}

/* ---- showing ---- */

static void show_version(struct recovering *r, const struct olv_found_item *found,
                         const struct olv_text *path)
{
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    struct olv_text place = {0};
    if (*found->depot)
        olv_text_printf(&place, "depot %s", found->depot);
    else
        olv_text_puts(&place, "trash");
    table_cell(r->table, STYLE_PLAIN, term_date(found->modified, date));
    table_cell(r->table, STYLE_PLAIN, found->deleted.s ? term_date(found->deleted, date) : "?");
    table_cell(r->table, STYLE_PLAIN, olv_size_format(found->size_bytes, size));
    table_cell(r->table, STYLE_PLAIN, olv_text_string(&place));
    table_cell(r->table, STYLE_PLAIN, olv_text_string(path));
    olv_text_free(&place);
}

static void each(void *self, const struct olv_found_item *found)
{
    struct recovering *r = self;
    struct olv_text path = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    r->found++;
    r->bytes += found->size_bytes;
    r->older_versions += found->older_versions;
    if (!r->only_list)
        return;
    if (cli_has(r->cli, OPT_JSON)) {
        items_print_json(found, true);
        return;
    }
    term_name(&path, found->target);
    if (found->kind == OLV_KIND_DIRECTORY)
        olv_text_puts(&path, "/");
    if (r->shows_versions) {
        show_version(r, found, &path);
        olv_text_free(&path);
        return;
    }
    if (*found->depot)
        olv_text_printf(&path, ", from depot %s", found->depot);
    if (found->older_versions)
        olv_text_printf(&path, " (and %llu older)", (unsigned long long)found->older_versions);
    table_cell(r->table, STYLE_PLAIN, found->deleted.s ? term_date(found->deleted, date) : "?");
    table_cell(r->table, STYLE_PLAIN, olv_size_format(found->size_bytes, size));
    table_cell(r->table, STYLE_PLAIN, olv_text_string(&path));
    olv_text_free(&path);
}

static enum cli_status cmd_recover_list(struct recovering *r, struct olv_trashes *trashes)
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
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    bool ok;
    r->table = cli_has(r->cli, OPT_JSON) ? NULL
               : r->shows_versions       ? table_begin(r->cli, versions, 5)
                                         : table_begin(r->cli, columns, 3);
    ok = olv_items_find(trashes, &r->request.query, NULL, each, r, &err);
    table_end(r->table);
    if (!ok)
        return cli_report(r->cli, &err);
    if (cli_has(r->cli, OPT_JSON) || cli_has(r->cli, OPT_QUIET))
        return STATUS_DONE;
    term_count(&line, r->found, r->shows_versions ? "version" : "item",
               r->shows_versions ? "versions" : "items");
    printf("%s, %s, can be recovered\n", olv_text_string(&line), olv_size_format(r->bytes, size));
    olv_text_free(&line);
    return STATUS_DONE;
}

/* ---- doing ---- */

/* With --if-exists ask: what to do where something stands at the place of an item. */
static bool cmd_recover_approve(void *self, struct olv_docket_entry *entry)
{
    static const char *const answers[] = {"no", "number", "set-aside", "replace", "stop", NULL};
    static const enum olv_if_exists choices[] = {OLV_REFUSE, OLV_NUMBER, OLV_SET_ASIDE, OLV_REPLACE};
    struct recovering *r = self;
    struct olv_text question = {0};
    struct stat st;
    int answer;
    if (r->is_stopped || !r->asks || lstat(entry->target, &st) < 0)
        return !r->is_stopped;
    watch_clear(r->cli);
    term_name(&question, entry->target);
    olv_text_puts(&question,
                  " is there already. Recover the other one beside it (number), move this one aside "
                  "(set-aside), or replace it?");
    answer = ask(r->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    r->is_stopped = answer < 0 || answer == 4;
    if (answer > 0 && answer < 4)
        entry->if_exists = choices[answer];
    return answer > 0 && answer < 4;
}

struct searching {
    const char *run;
    bool is_known;
};

static bool look_for_run(void *self, const struct olv_ledger_record *record)
{
    struct searching *s = self;
    s->is_known |= strcmp(record->run, s->run) == 0;
    return !s->is_known;
}

static bool is_known_run(struct recovering *r)
{
    struct searching s = {.run = cli_value(r->cli, OPT_RUN)};
    struct olv_error ignored = {0};
    enum cli_status status;
    char state[PATH_MAX];
    if (s.run && cli_state_path(r->cli, state, sizeof state, &status))
        olv_ledger_each(state, look_for_run, &s, &ignored);
    return s.is_known;
}

static enum cli_status nothing_found(struct recovering *r)
{
    if (cli_has(r->cli, OPT_RUN) && !is_known_run(r))
        return cli_usage(r->cli, "the ledger knows no run %s; `olvido audit show` lists the runs",
                         cli_value(r->cli, OPT_RUN));
    term_message(r->cli, STYLE_WARN, "neither the trash nor a depot has anything that fits");
    fprintf(stderr, "  `olvido recover --list` shows all that can be recovered\n");
    watch_print_troubles(r->cli);
    return STATUS_SOME_FAILED;
}

static enum cli_status cmd_recover_carry_out(struct recovering *r, struct olv_session *session)
{
    struct olv_approval approval = {cmd_recover_approve, r};
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_spool *docket = olv_spool_new(&err);
    bool ok = docket && olv_items_find(session->trashes, &r->request.query, docket, each, r, &err);
    watch_expect(r->cli, r->found);
    if (ok && r->found == 0)
        status = nothing_found(r);
    else if (!ok)
        status = cli_report(r->cli, &err);
    else if (session_carry_out(r->cli, session, docket, &approval, &result, &status) || result.done)
        status = cli_worse(status, run_print_result(r->cli, session->run, &result, false));
    if (r->found && r->older_versions && !cli_has(r->cli, OPT_JSON))
        printf(r->older_versions == 1 ? "%llu older version stayed where it is\n"
                                      : "%llu older versions stayed where they are\n",
               (unsigned long long)r->older_versions);
    olv_spool_free(docket);
    return status;
}

static enum cli_status recover(struct recovering *r, struct olv_session *session)
{
    enum cli_status status = STATUS_DONE;
    if (session->catalogue_error.code != OLV_OK)
        return cli_status_of(session->catalogue_error.code); /* it was told */
    r->request.query.act = olv_act_named("recover");
    r->request.query.wants_versions = r->shows_versions;
    r->request.query.catalogue = session->catalogue;
    status = r->only_list ? cmd_recover_list(r, session->trashes) : cmd_recover_carry_out(r, session);
    watch_print_troubles(r->cli);
    return status;
}

static enum cli_status cmd_recover_run(struct cli *cli)
{
    struct recovering r = {.cli = cli,
                           .shows_versions = cli_has(cli, OPT_VERSIONS),
                           .only_list = cli_has(cli, OPT_LIST) || cli_has(cli, OPT_PREVIEW) ||
                                        cli_has(cli, OPT_VERSIONS)};
    enum cli_status status = STATUS_DONE;
    struct olv_session session = {0};
    bool names_any = cli->argument_count || cli_has(cli, OPT_RUN) || cli_has(cli, OPT_SINCE) ||
                     cli_has(cli, OPT_UNTIL) || cli_has(cli, OPT_AS_OF);
    if (!names_any && !r.only_list)
        return cli_usage(
            cli, "say what to recover: a path, a pattern, --run RUN, --since, --until or --as-of DATE");
    if (items_read_request(cli, 0, &r.request, &status) && read_if_exists(&r, &status)) {
        if (r.asks && !r.only_list && !ask_is_possible())
            status = cli_usage(
                cli, "--if-exists ask needs a terminal; refuse, skip, number, set-aside and replace do not");
        else if (session_open(cli, NULL, r.only_list ? NULL : "recover", &session, &status))
            status = recover(&r, &session);
    }
    olv_session_close(&session);
    items_free_request(&r.request);
    return status;
}

static const enum cli_option options[] = {OPT_LIST,  OPT_VERSIONS, OPT_PREVIEW, OPT_RUN,       OPT_SINCE,
                                          OPT_UNTIL, OPT_AS_OF,    OPT_INTO,    OPT_IF_EXISTS, OPT_NONE};

const struct cli_command cmd_recover = {
    .name = "recover",
    .stage = "Get back",
    .arguments = "[PATTERN…]",
    .summary = "Takes files back from the trash, or from a depot, to where they were",
    .options = options,
    .most = 4096,
    .run = cmd_recover_run,
};
