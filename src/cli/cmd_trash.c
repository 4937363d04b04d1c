/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/quantity.h"
#include "olvido/sorter.h"
#include "olvido/trash.h"

#include <errno.h>
#include <limits.h>
#include <string.h>

struct showing {
    struct olv_sorter *sorter;
    struct olv_text record;
    struct olv_error error;
    uint64_t items, bytes, unsound;
};

/* What a record holds between the path and the name. */
struct shown {
    uint64_t size_bytes;
    uint32_t kind, state;
};

static bool collect(void *self, const struct olv_trash_item *item)
{
    struct showing *s = self;
    struct shown shown = {item->stat.size_bytes, item->stat.kind, item->state};
    s->items++;
    s->bytes += item->stat.size_bytes;
    s->unsound += item->state != OLV_TRASH_SOUND;
    olv_text_clear(&s->record);
    olv_text_add(&s->record, item->path,
                 strlen(item->path) + 1); /* first: it orders what was discarded in one second */
    olv_text_add(&s->record, &shown, sizeof shown);
    olv_text_add(&s->record, item->name, strlen(item->name) + 1);
    if (s->record.failed)
        return olv_fail_memory(&s->error);
    return olv_sorter_add(s->sorter, (struct olv_record){item->deleted, s->record.data, s->record.len},
                          &s->error);
}

static const char *state_word(uint32_t state)
{
    return state == OLV_TRASH_SOUND ? "sound" : state == OLV_TRASH_TORN ? "torn" : "lost";
}

static void print_row(struct table *table, struct olv_instant deleted, const struct shown *s,
                      const char *path, const char *name)
{
    struct olv_text text = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    if (*path) {
        term_name(&text, path);
    } else {
        term_name(&text, name);
        olv_text_puts(&text, " (where it was is not known)");
    }
    if (s->state == OLV_TRASH_LOST)
        olv_text_puts(&text, " (nothing left of it)");
    table_cell(table, STYLE_PLAIN, deleted.s ? term_date(deleted, date) : "?");
    table_cell(table, STYLE_PLAIN, olv_size_format(s->size_bytes, size));
    table_cell(table, STYLE_FAINT, olv_kind_word((enum olv_kind)s->kind));
    table_cell(table, s->state == OLV_TRASH_SOUND ? STYLE_PLAIN : STYLE_WARN, olv_text_string(&text));
    olv_text_free(&text);
}

static void print_json_row(struct olv_instant deleted, const struct shown *s, const char *path,
                           const char *name)
{
    json_t *json = json_object();
    olv_json_name(json, "path", path);
    olv_json_name(json, "item", name);
    if (deleted.s)
        olv_json_instant(json, "deleted", deleted);
    olv_json_string(json, "kind", olv_kind_word((enum olv_kind)s->kind));
    olv_json_number(json, "size", s->size_bytes);
    olv_json_string(json, "state", state_word(s->state));
    cli_print_json(json);
}

static void print_all(struct cli *cli, struct showing *s, struct olv_error *err)
{
    static const struct table_column columns[] = {{.heading = "Discarded", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Kind", .width = 9},
                                                  {.heading = "Where it was", .is_elastic = true}};
    bool as_json = cli_has(cli, OPT_JSON);
    struct table *table = as_json ? NULL : table_begin(cli, columns, 4);
    struct olv_record record;
    while (olv_sorter_next(s->sorter, &record, err)) {
        const char *path = record.bytes, *rest = path + strlen(path) + 1;
        struct shown shown;
        memcpy(&shown, rest, sizeof shown);
        if (as_json)
            print_json_row(record.key, &shown, path, rest + sizeof shown);
        else
            print_row(table, record.key, &shown, path, rest + sizeof shown);
    }
    table_end(table);
}

static void print_total(struct cli *cli, const struct showing *s)
{
    struct olv_text line = {0};
    char size[OLV_SIZE_TEXT];
    if (cli_has(cli, OPT_JSON) || cli_has(cli, OPT_QUIET))
        return;
    term_count(&line, s->items, "item", "items");
    olv_text_printf(&line, ", %s", olv_size_format(s->bytes, size));
    if (s->unsound) {
        olv_text_puts(&line, "; ");
        term_count(&line, s->unsound, "of them is not sound", "of them are not sound");
    }
    printf("%s\n", olv_text_string(&line));
    olv_text_free(&line);
}

static enum cli_status show(struct cli *cli)
{
    struct showing s = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    char path[PATH_MAX];
    struct olv_trash *trash =
        olv_trash_home(path, sizeof path, &err) ? olv_trash_open(path, false, &err) : NULL;
    if (!trash && err.sys == ENOENT) {
        print_total(cli, &s);
        return STATUS_DONE;
    }
    if (!trash)
        return cli_report(cli, &err);
    s.sorter = olv_sorter_new(&err);
    if (s.sorter && olv_trash_each(trash, collect, &s, &err) && s.error.code == OLV_OK)
        print_all(cli, &s, &err);
    if (s.error.code != OLV_OK)
        err = s.error;
    if (err.code == OLV_OK)
        print_total(cli, &s);
    else
        status = cli_report(cli, &err);
    olv_sorter_free(s.sorter);
    olv_text_free(&s.record);
    olv_trash_close(trash);
    return status;
}

static enum cli_status run(struct cli *cli)
{
    if (strcmp(cli->arguments[0], "show") != 0)
        return cli_usage(cli, "`trash` can `show`, not `%s`", cli->arguments[0]);
    return show(cli);
}

const struct cli_command cmd_trash = {
    .name = "trash",
    .stage = "Get back",
    .arguments = "show",
    .summary = "Shows what lies in the home trash, oldest first",
    .help = "The trash is the one of the desktop (freedesktop.org Trash specification 1.0), so what other "
            "programs discarded is\n"
            "shown as well. `olvido recover` takes things back.\n",
    .least = 1,
    .most = 1,
    .run = run,
};
