/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/items_view.h"
#include "cli/open_session.h"
#include "cli/run_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/machine.h"
#include "olvido/quantity.h"
#include "olvido/sorter.h"

#include <limits.h>
#include <string.h>

/* ---- show ---- */

struct showing {
    struct cli *cli;
    struct olv_sorter *sorter;
    struct olv_text record;
    struct olv_error error;
    uint64_t items, bytes, unsound, trashes;
};

/* What a record holds in front of the path and the name. */
struct shown {
    const struct olv_trash *trash;
    uint64_t size_bytes;
    uint32_t kind, state;
};

static void cmd_trash_collect(void *self, const struct olv_found_item *found)
{
    struct showing *s = self;
    struct shown shown = {found->trash, found->size_bytes, found->kind, found->state};
    s->items++;
    s->bytes += found->size_bytes;
    s->unsound += found->state != OLV_TRASH_SOUND;
    olv_text_clear(&s->record);
    olv_text_add(&s->record, found->path,
                 strlen(found->path) + 1); /* first: it orders what was discarded in one second */
    olv_text_add(&s->record, &shown, sizeof shown);
    olv_text_add(&s->record, found->item, strlen(found->item) + 1);
    if (s->record.failed)
        olv_fail_memory(&s->error);
    else
        olv_sorter_add(s->sorter, (struct olv_sorted){found->deleted, s->record.data, s->record.len},
                       &s->error);
}

static void cmd_trash_print_row(struct table *table, const struct olv_found_item *f)
{
    struct olv_text text = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    if (*f->path) {
        term_name(&text, f->path);
    } else {
        term_name(&text, f->item);
        olv_text_puts(&text, f->state == OLV_TRASH_STRAY ? " (no info file: where it was is not known)"
                                                         : " (torn info file: where it was is not known)");
    }
    if (f->state == OLV_TRASH_LOST)
        olv_text_puts(&text, " (nothing left of it)");
    table_cell(table, STYLE_PLAIN, f->deleted.s ? term_date(f->deleted, date) : "?");
    table_cell(table, STYLE_PLAIN,
               f->kind == OLV_KIND_DIRECTORY && !f->size_bytes ? "?" : olv_size_format(f->size_bytes, size));
    table_cell(table, STYLE_FAINT, olv_kind_word(f->kind));
    table_cell(table, f->state == OLV_TRASH_SOUND ? STYLE_PLAIN : STYLE_WARN, olv_text_string(&text));
    olv_text_free(&text);
}

static void print_all(struct showing *s, struct olv_error *err)
{
    static const struct table_column columns[] = {{.heading = "Discarded", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Kind", .width = 9},
                                                  {.heading = "Where it was", .is_elastic = true}};
    bool as_json = cli_has(s->cli, OPT_JSON);
    struct table *table = as_json ? NULL : table_begin(s->cli, columns, 4);
    struct olv_sorted record;
    while (olv_sorter_next(s->sorter, &record, err)) {
        const char *path = record.bytes, *rest = path + strlen(path) + 1;
        struct olv_found_item found = {
            .path = path, .item = rest + sizeof(struct shown), .deleted = record.key};
        struct shown shown;
        memcpy(&shown, rest, sizeof shown);
        found.trash = shown.trash;
        found.size_bytes = shown.size_bytes;
        found.kind = (enum olv_kind)shown.kind;
        found.state = (enum olv_trash_state)shown.state;
        if (as_json)
            items_print_json(&found, false);
        else
            cmd_trash_print_row(table, &found);
    }
    table_end(table);
}

static void print_total(const struct showing *s)
{
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    if (cli_has(s->cli, OPT_JSON) || cli_has(s->cli, OPT_QUIET))
        return;
    term_count(&line, s->items, "item", "items");
    olv_text_printf(&line, ", %s", olv_size_format(s->bytes, size));
    if (s->trashes > 1) {
        olv_text_puts(&line, ", in ");
        term_count(&line, s->trashes, "trash", "trashes");
    }
    if (s->unsound) {
        olv_text_puts(&line, "; ");
        term_count(&line, s->unsound, "of them is not sound", "of them are not sound");
    }
    printf("%s\n", olv_text_string(&line));
    olv_text_free(&line);
}

static enum cli_status cmd_trash_show(struct cli *cli, struct olv_trashes *trashes,
                                      struct olv_item_query *query)
{
    struct showing s = {.cli = cli, .trashes = olv_trashes_count(trashes)};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    s.sorter = olv_sorter_new(&err);
    if (s.sorter && olv_items_find(trashes, query, NULL, cmd_trash_collect, &s, &err) &&
        s.error.code == OLV_OK)
        print_all(&s, &err);
    if (s.error.code != OLV_OK)
        err = s.error;
    if (err.code == OLV_OK)
        print_total(&s);
    else
        status = cli_report(cli, &err);
    olv_sorter_free(s.sorter);
    olv_text_free(&s.record);
    return status;
}

/* ---- clear ---- */

struct clearing {
    struct cli *cli;
    struct olv_session *session;
    uint64_t items, bytes, directories;
};

static void cmd_trash_count(void *self, const struct olv_found_item *found)
{
    struct clearing *c = self;
    c->items++;
    c->bytes += found->size_bytes;
    c->directories += found->kind == OLV_KIND_DIRECTORY;
}

static void cmd_trash_describe(const struct clearing *c, struct olv_text *out)
{
    char size[OLV_SIZE_TEXT];
    olv_text_puts(out, "Remove ");
    term_count(out, c->items, "item", "items");
    olv_text_printf(out, " (%s)", olv_size_format(c->bytes, size));
    if (c->directories) {
        olv_text_puts(out, ", among them ");
        term_count(out, c->directories, "directory with all that is in it",
                   "directories with all that is in them");
        olv_text_puts(out, ",");
    }
    olv_text_puts(out, " from the trash for good? Nothing brings them back.");
}

/* Whether the right count was given beforehand, or typed. */
static bool is_count_right(const struct clearing *c, const char *question, enum cli_status *status)
{
    uint64_t given;
    if (cli_has(c->cli, OPT_COUNT_TYPED)) {
        if (!cli_number(c->cli, OPT_COUNT_TYPED, &given, status))
            return false;
        if (given != c->items)
            term_message(c->cli, STYLE_WARN,
                         "--count %llu is not the number of items that fit: %llu; nothing was done",
                         (unsigned long long)given, (unsigned long long)c->items);
        return given == c->items;
    }
    if (ask_is_possible() && !cli_has(c->cli, OPT_JSON))
        return ask_count(c->cli, question, c->items);
    term_message(
        c->cli, STYLE_WARN,
        "nothing was removed: that cannot be taken back, so it needs --count %llu, or a terminal to ask on",
        (unsigned long long)c->items);
    return false;
}

static bool is_allowed(const struct clearing *c, enum cli_status *status)
{
    static const char *const answers[] = {"no", "yes", NULL};
    struct olv_text question = {0};
    bool needs_count = olv_needs_count(c->items, c->directories) || cli_has(c->cli, OPT_COUNT_TYPED), ok;
    *status = STATUS_REFUSED;
    cmd_trash_describe(c, &question);
    if (needs_count) {
        ok = is_count_right(c, olv_text_string(&question), status);
    } else if (cli_has(c->cli, OPT_YES)) {
        ok = true;
    } else if (ask_is_possible() && !cli_has(c->cli, OPT_JSON)) {
        ok = ask(c->cli, olv_text_string(&question), answers) == 1;
    } else {
        term_message(c->cli, STYLE_WARN,
                     "nothing was removed without being asked: there is no terminal, and no --yes");
        ok = false;
    }
    olv_text_free(&question);
    return ok;
}

static enum cli_status cmd_trash_carry_out(struct clearing *c, struct olv_spool *docket)
{
    struct olv_run_result result = {0};
    enum cli_status status = STATUS_DONE;
    watch_expect(c->cli, c->items);
    session_carry_out(c->cli, c->session, docket, NULL, &result, &status);
    return cli_worse(status, run_print_result(c->cli, c->session->run, &result, false));
}

static enum cli_status cmd_trash_clear(struct cli *cli, struct olv_session *session,
                                       const struct olv_item_query *query)
{
    struct clearing c = {.cli = cli, .session = session};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_spool *docket = olv_spool_new(&err);
    if (!docket || !olv_items_find(session->trashes, query, docket, cmd_trash_count, &c, &err))
        status = cli_report(cli, &err);
    else if (c.items == 0)
        term_message(cli, STYLE_PLAIN, "the trash has nothing that fits; nothing was done");
    else if (is_allowed(&c, &status))
        status = cmd_trash_carry_out(&c, docket);
    olv_spool_free(docket);
    return status;
}

/* ---- */

/* --older-than DURATION: discarded before that. */
static bool read_age(struct cli *cli, struct olv_item_query *query, enum cli_status *status)
{
    struct olv_duration age;
    if (!cli_has(cli, OPT_OLDER_THAN))
        return true;
    if (!cli_duration(cli, OPT_OLDER_THAN, &age, status))
        return false;
    query->has_until = true;
    query->until = olv_instant_cutoff(olv_os_now(), age);
    return true;
}

static enum cli_status cmd_trash_run(struct cli *cli)
{
    bool clears = strcmp(cli->arguments[0], "clear") == 0;
    struct items_request request;
    struct olv_session session = {0};
    enum cli_status status = STATUS_DONE;
    if (!clears && strcmp(cli->arguments[0], "show") != 0)
        return cli_usage(cli, "`trash` can `show` and `clear`, not `%s`", cli->arguments[0]);
    clears = clears && !cli_has(cli, OPT_PREVIEW);
    if (items_read_request(cli, 1, &request, &status) && read_age(cli, &request.query, &status) &&
        session_open(cli, NULL, clears ? "trash clear" : NULL, &session, &status)) {
        request.query.act = olv_act_named("clear");
        status = clears ? cmd_trash_clear(cli, &session, &request.query)
                        : cmd_trash_show(cli, session.trashes, &request.query);
        watch_print_troubles(cli);
    }
    olv_session_close(&session);
    items_free_request(&request);
    return status;
}

static const enum cli_option options[] = {OPT_RUN, OPT_SINCE,       OPT_UNTIL,   OPT_OLDER_THAN,
                                          OPT_YES, OPT_COUNT_TYPED, OPT_PREVIEW, OPT_NONE};

const struct cli_command cmd_trash = {
    .name = "trash",
    .stage = "Get back",
    .arguments = "show|clear [PATTERN…]",
    .summary = "Shows what lies in the trashes, oldest first, or removes it for good",
    .options = options,
    .least = 1,
    .most = 4096,
    .run = cmd_trash_run,
};
