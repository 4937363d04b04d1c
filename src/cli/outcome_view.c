/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/path.h"

#include <string.h>

enum { SHOWN = 20 };

void outcome_view_print_json(const struct olv_result_facts *facts)
{
    json_t *json = json_object();
    olv_json_name(json, "path", facts->path);
    olv_json_string(json, "result", facts->result);
    if (*facts->reason)
        olv_json_name(json, "reason", facts->reason);
    if (*facts->into)
        olv_json_name(json, "into", facts->into);
    olv_json_number(json, "size", facts->size_bytes);
    if (facts->has_packed)
        olv_json_number(json, "stored", facts->packed_bytes);
    json_object_set_new(json, "seconds", json_real(facts->seconds));
    cli_print_json(json);
}

/* The name of what was made; if something is wrong, why. */
static void add_what(const struct olv_result_facts *facts, struct olv_text *out)
{
    term_name(out, facts->path);
    if (*facts->into) {
        olv_text_puts(out, " -> ");
        term_name(out, olv_path_name(facts->into));
    }
    if (*facts->reason) {
        olv_text_puts(out, *facts->into ? "; stays: " : ": ");
        term_name(out, facts->reason);
    }
}

/* Compressed size relative to plain size, in either order. */
static double percentage(uint64_t a, uint64_t b)
{
    double packed = (double)(a < b ? a : b), plain = (double)(a < b ? b : a);
    return plain > 0 ? 100.0 * packed / plain : 100.0;
}

static void outcome_view_print_row(struct outcome_view *view, const struct olv_result_facts *facts)
{
    struct olv_text what = {0};
    char after[OLV_SIZE_TEXT] = "", ratio[32] = "", time[32] = "";
    if (facts->has_packed) {
        olv_size_format(facts->packed_bytes, after);
        snprintf(ratio, sizeof ratio, "%.1f %%", percentage(facts->size_bytes, facts->packed_bytes));
    }
    if (facts->seconds > 0)
        snprintf(time, sizeof time, "%.2f s", facts->seconds);
    add_what(facts, &what);
    table_size(view->table, STYLE_PLAIN, facts->size_bytes);
    table_cell(view->table, STYLE_PLAIN, after);
    table_cell(view->table, STYLE_PLAIN, ratio);
    table_cell(view->table, STYLE_PLAIN, time);
    table_text(view->table, STYLE_PLAIN, &what);
}

static void on_outcome(void *self, const struct olv_result_facts *facts)
{
    struct outcome_view *view = self;
    watch_hide(view->cli);
    if (cli_has(view->cli, OPT_JSON))
        outcome_view_print_json(facts);
    else if (view->table)
        outcome_view_print_row(view, facts);
}

void outcome_view_begin(struct outcome_view *view, struct cli *cli, uint64_t files)
{
    static const struct table_column columns[] = {{.heading = "Before", .is_right = true, .width = 10},
                                                  {.heading = "After", .is_right = true, .width = 10},
                                                  {.heading = "Ratio", .is_right = true, .width = 7},
                                                  {.heading = "Time", .is_right = true, .width = 8},
                                                  {.heading = "File", .is_elastic = true}};
    bool shows = !cli_has(cli, OPT_QUIET) && (files <= SHOWN || cli_has(cli, OPT_VERBOSE));
    *view = (struct outcome_view){.cli = cli, .table = shows ? table_begin(cli, columns, 5) : NULL};
    if (shows || cli_has(cli, OPT_JSON))
        watch_outcomes(cli, on_outcome, view);
}

void outcome_view_end(struct outcome_view *view)
{
    watch_outcomes(view->cli, NULL, NULL);
    table_end(view->table);
}
