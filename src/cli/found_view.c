/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/found_view.h"

#include "cli/items_view.h"
#include "cli/term.h"
#include "olvido/quantity.h"

static void show_version(struct found_view *r, const struct olv_found_item *found,
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

void found_view_each(void *self, const struct olv_found_item *found)
{
    struct found_view *r = self;
    struct olv_text path = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    r->found++;
    r->bytes += found->size_bytes;
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

enum cli_status found_view_list(struct found_view *r, struct olv_trashes *trashes,
                                struct olv_item_query *query)
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
    r->lists = true;
    r->table = cli_has(r->cli, OPT_JSON) ? NULL
               : r->shows_versions       ? table_begin(r->cli, versions, 5)
                                         : table_begin(r->cli, columns, 3);
    ok = olv_items_find(trashes, query, NULL, found_view_each, r, &err);
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
