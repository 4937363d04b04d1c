/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/views.h"
#include "olvido/permission.h"
#include "olvido/sorter.h"

#include <string.h>

struct showing {
    struct cli *cli;
    struct olv_sorter *sorter;
    struct olv_text record;
    struct olv_error error;
    uint64_t items, files, directories, bytes, unsound, trashes;
};

/* What a record has before the path and the name. */
struct shown {
    const struct olv_trash *trash;
    uint64_t size_bytes, files;
    uint32_t kind, state;
};

static void trash_view_collect(void *self, const struct olv_found_item *found)
{
    struct showing *s = self;
    struct shown shown = {found->trash, found->size_bytes, found->files, found->kind, found->state};
    s->items++;
    s->files += found->files;
    s->directories += found->kind == OLV_KIND_DIRECTORY;
    s->bytes += found->size_bytes;
    s->unsound += found->state != OLV_TRASH_SOUND;
    olv_text_clear(&s->record);
    olv_text_add(&s->record, found->path,
                 strlen(found->path) +
                     1); /* first, so that it orders what was discarded in the same second */
    olv_text_add(&s->record, &shown, sizeof shown);
    olv_text_add(&s->record, found->item, strlen(found->item) + 1);
    if (s->record.failed)
        olv_fail_memory(&s->error);
    else
        olv_sorter_add(s->sorter, (struct olv_sorted){found->deleted, s->record.data, s->record.len},
                       &s->error);
}

static void trash_view_print_row(struct table *table, const struct olv_found_item *f)
{
    struct olv_text text = {0};
    if (*f->path) {
        term_name(&text, f->path);
    } else {
        term_name(&text, f->item);
        olv_text_puts(&text, f->state == OLV_TRASH_STRAY ? " (no info file: where it was is not known)"
                                                         : " (torn info file: where it was is not known)");
    }
    if (f->kind == OLV_KIND_DIRECTORY)
        olv_text_printf(&text, " (%s)", COUNT(f->files, "file", "files"));
    if (f->state == OLV_TRASH_LOST)
        olv_text_puts(&text, " (nothing left of it)");
    table_date(table, STYLE_PLAIN, f->deleted);
    table_size(table, STYLE_PLAIN, f->size_bytes);
    table_cell(table, STYLE_FAINT, olv_kind_word(f->kind));
    table_text(table, f->state == OLV_TRASH_SOUND ? STYLE_PLAIN : STYLE_WARN, &text);
}

static void print_all(struct showing *s, struct olv_error *err)
{
    static const struct table_column columns[] = {{.heading = "Discarded", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Kind", .width = 9},
                                                  {.heading = "Where it was", .is_elastic = true}};
    struct table *table = table_begin(s->cli, columns, 4);
    struct olv_sorted record;
    while (olv_sorter_next(s->sorter, &record, err)) {
        const char *path = record.bytes, *rest = path + strlen(path) + 1;
        struct olv_found_item found = {
            .path = path, .item = rest + sizeof(struct shown), .deleted = record.key};
        struct shown shown;
        memcpy(&shown, rest, sizeof shown);
        found.trash = shown.trash;
        found.size_bytes = shown.size_bytes;
        found.files = shown.files;
        found.kind = (enum olv_kind)shown.kind;
        found.state = (enum olv_trash_state)shown.state;
        if (cli_has(s->cli, OPT_JSON))
            items_print_json(&found, false);
        else
            trash_view_print_row(table, &found);
    }
    table_end(table);
}

static void print_total(const struct showing *s)
{
    if (cli_has(s->cli, OPT_JSON) || cli_has(s->cli, OPT_QUIET))
        return;
    printf("%s, ", COUNT(s->items, "item", "items"));
    if (s->directories)
        printf("%s, ", FILES(s->files, s->directories));
    printf("%s", SIZE(s->bytes));
    if (s->trashes > 1)
        printf(", in %s", COUNT(s->trashes, "trash", "trashes"));
    if (s->unsound)
        printf("; %s", COUNT(s->unsound, "of them is not sound", "of them are not sound"));
    putchar('\n');
}

void trash_view_show(struct cli *cli, struct olv_trashes *trashes, struct olv_item_query *query)
{
    struct showing s = {.cli = cli, .trashes = olv_trashes_count(trashes)};
    struct olv_error err = {0};
    s.sorter = olv_sorter_new(&err);
    if (s.sorter && olv_items_find(trashes, query, NULL, trash_view_collect, &s, &err) &&
        s.error.code == OLV_OK)
        print_all(&s, &err);
    if (s.error.code != OLV_OK)
        err = s.error;
    if (err.code == OLV_OK)
        print_total(&s);
    else
        cli_report(cli, &err);
    olv_sorter_free(s.sorter);
    olv_text_free(&s.record);
}

/* ---- may it go? ---- */

static void trash_view_describe(const struct found_sum *c, struct olv_text *out)
{
    olv_text_printf(out, "Remove %s (", COUNT(c->items, "item", "items"));
    if (c->directories)
        olv_text_printf(out, "%s, ", FILES(c->files, c->directories));
    olv_text_printf(out, "%s)", SIZE(c->bytes));
    olv_text_puts(out, " from the trash for good? Nothing brings them back.");
}

static void say_why_not(const struct cli *cli, const struct found_sum *c,
                        const struct olv_allowance *allowance)
{
    unsigned long long items = c->items;
    if (allowance->has_count)
        term_message(cli, STYLE_WARN,
                     "--count %llu is not the number of items that fit: %llu; nothing was done",
                     (unsigned long long)allowance->count, items);
    else if (olv_needs_count(c->items, c->directories))
        term_message(
            cli, STYLE_WARN,
            "nothing removed: this cannot be taken back and needs --count %llu, or a terminal to ask on",
            items);
    else
        term_message(cli, STYLE_WARN, "nothing removed: this needs an answer. Use a terminal or --yes");
}

bool trash_view_is_allowed(struct cli *cli, const struct found_sum *c)
{
    static const char *const answers[] = {"no", "yes", NULL};
    struct olv_allowance allowance = {.says_yes = cli_has(cli, OPT_YES),
                                      .has_count = cli_has(cli, OPT_COUNT_TYPED),
                                      .can_ask = ask_is_possible(cli) && !cli_has(cli, OPT_JSON)};
    struct olv_text question = {0};
    bool ok = false;
    if (!cli_number(cli, OPT_COUNT_TYPED, &allowance.count))
        return false;
    trash_view_describe(c, &question);
    switch (olv_permission_to_end(&allowance, c->items, c->directories, c->items)) {
    case OLV_ENDING_ALLOWED:
        ok = true;
        break;
    case OLV_ENDING_ASKS:
        ok = ask(cli, olv_text_string(&question), answers) == 1;
        break;
    case OLV_ENDING_ASKS_COUNT:
        ok = ask_count(cli, olv_text_string(&question), c->items);
        break;
    default:
        say_why_not(cli, c, &allowance);
        break;
    }
    olv_text_free(&question);
    if (!ok)
        cli_mark(cli, STATUS_REFUSED);
    return ok;
}
