/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/sorter.h"

#include <string.h>

/* A record for sorting: these numbers, then the rule's name and the path, each with its NUL. */
struct listed {
    uint64_t size_bytes, files;
    struct olv_instant due;
    uint32_t step, kind;
    const struct olv_act *act;
    size_t rule_len;
};

struct collecting {
    struct olv_sorter *sorter;
    struct docket_filter filter;
    struct olv_text record;
    uint64_t count, bytes;
    bool has_rules; /* any of them has one: else it is by hand */
};

static bool is_wanted(struct docket_filter f, const struct olv_docket_entry *e)
{
    bool is_touched = e->act->traits & OLV_TOUCHES, is_final = e->act->traits & OLV_FINAL;
    const bool is_of[] = {[DOCKET_ALL] = true,
                          [DOCKET_TOLD] = !is_touched,
                          [DOCKET_TOUCHED] = is_touched,
                          [DOCKET_KEPT] = is_touched && !is_final,
                          [DOCKET_ENDED] = is_touched && is_final};
    return (!f.by_rule || e->rule == f.rule) && is_of[f.which];
}

static bool docket_view_collect(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct collecting *c = self;
    struct listed l = {.size_bytes = olv_docket_entry_size(e),
                       .files = olv_docket_entry_files(e),
                       .due = e->due,
                       .step = e->step,
                       .kind = (uint32_t)e->identity.kind,
                       .act = e->act,
                       .rule_len = strlen(e->rule_name) + 1};
    if (!is_wanted(c->filter, e))
        return true;
    c->count++;
    c->bytes += l.size_bytes;
    c->has_rules |= *e->rule_name != '\0';
    olv_text_clear(&c->record);
    olv_text_add(&c->record, &l, sizeof l);
    olv_text_add(&c->record, e->rule_name, l.rule_len);
    olv_docket_entry_shown(e, &c->record);
    olv_text_add(&c->record, "", 1);
    return (!c->record.failed || olv_fail_memory(err)) &&
           olv_sorter_add(c->sorter,
                          (struct olv_sorted){olv_docket_entry_modified(e), c->record.data, c->record.len},
                          err);
}

/* By hand there are no rules. */
static void print_listed(struct table *table, const struct olv_sorted *record, const struct listed *l,
                         bool has_rules)
{
    const char *rule = (const char *)record->bytes + sizeof *l, *path = rule + l->rule_len;
    struct olv_text shown = {0};
    table_date(table, STYLE_PLAIN, record->key);
    table_size(table, STYLE_PLAIN, l->size_bytes);
    table_cell(table, STYLE_WARN, l->act->word);
    if (has_rules)
        table_name(table, STYLE_FAINT, rule);
    term_name(&shown, path);
    if (l->kind == OLV_KIND_DIRECTORY)
        olv_text_puts(&shown, "/");
    if (l->kind == OLV_KIND_DIRECTORY && l->files)
        olv_text_printf(&shown, " (%s)", COUNT(l->files, "file", "files"));
    table_text(table, STYLE_PLAIN, &shown);
}

static void print_listed_json(const struct olv_sorted *record, const struct listed *l)
{
    const char *rule = (const char *)record->bytes + sizeof *l;
    json_t *json = json_object();
    olv_json_name(json, "path", rule + l->rule_len);
    olv_json_string(json, "rule", rule);
    olv_json_number(json, "step", l->step);
    olv_json_string(json, "act", l->act->word);
    olv_json_instant(json, "due", l->due);
    olv_json_string(json, "kind", olv_kind_word((enum olv_kind)l->kind));
    olv_json_number(json, "size", l->size_bytes);
    olv_json_instant(json, "modified", record->key);
    cli_print_json(json);
}

static void print_sorted(struct cli *cli, const struct collecting *c, struct olv_error *err)
{
    static const struct table_column by_hand[] = {{.heading = "Modified", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Act", .width = 8},
                                                  {.heading = "Path", .is_elastic = true}};
    static const struct table_column columns[] = {{.heading = "Modified", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Act", .width = 8},
                                                  {.heading = "Rule", .width = 16},
                                                  {.heading = "Path", .is_elastic = true}};
    struct table *table = c->has_rules ? table_begin(cli, columns, 5) : table_begin(cli, by_hand, 4);
    struct olv_sorter *sorter = c->sorter;
    uint64_t most = c->filter.most;
    struct olv_sorted record;
    struct listed l;
    uint64_t count = 0;
    for (; olv_sorter_next(sorter, &record, err); count++) {
        memcpy(&l, record.bytes, sizeof l);
        if (cli_has(cli, OPT_JSON))
            print_listed_json(&record, &l);
        else if (most == 0 || count < most)
            print_listed(table, &record, &l, c->has_rules);
    }
    table_end(table);
    if (most && count > most)
        printf("... and %s more (--verbose names them)\n", NUMBER(count - most));
}

bool docket_print(struct cli *cli, struct olv_spool *docket, struct docket_filter filter,
                  struct olv_error *err)
{
    struct collecting c = {.sorter = olv_sorter_new(err), .filter = filter};
    bool ok = c.sorter && olv_docket_each(docket, docket_view_collect, &c, err);
    if (ok) {
        watch_clear(cli);
        if (c.count && filter.heading)
            fputs(filter.heading, stdout);
        print_sorted(cli, &c, err);
        if (filter.has_total && !cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET))
            printf("%s, %s\n", COUNT(c.count, "entry", "entries"), SIZE(c.bytes));
    }
    olv_text_free(&c.record);
    olv_sorter_free(c.sorter);
    return ok && err->code == OLV_OK;
}
