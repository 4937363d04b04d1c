/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/trash_view.h"

#include "cli/items_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "olvido/quantity.h"
#include "olvido/sorter.h"

#include <string.h>

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

static void trash_view_collect(void *self, const struct olv_found_item *found)
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

static void trash_view_print_row(struct table *table, const struct olv_found_item *f)
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
            trash_view_print_row(table, &found);
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

enum cli_status trash_view_show(struct cli *cli, struct olv_trashes *trashes, struct olv_item_query *query)
{
    struct showing s = {.cli = cli, .trashes = olv_trashes_count(trashes)};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    s.sorter = olv_sorter_new(&err);
    if (s.sorter && olv_items_find(trashes, query, NULL, trash_view_collect, &s, &err) &&
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
