/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/outcome_view.h"

#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/path.h"
#include "olvido/quantity.h"

#include <string.h>

enum { SHOWN = 20 };

static void print_json(const struct olv_told *told)
{
    json_t *json = json_object();
    olv_json_name(json, "path", told->path);
    olv_json_string(json, "result", told->result);
    if (*told->reason)
        olv_json_name(json, "reason", told->reason);
    if (*told->into)
        olv_json_name(json, "into", told->into);
    olv_json_number(json, "size", told->size_bytes);
    if (told->has_stored)
        olv_json_number(json, "stored", told->stored_bytes);
    json_object_set_new(json, "seconds", json_real(told->seconds));
    cli_print_json(json);
}

/* The name of what was made; and where it is not as it should be, why. */
static void add_what(const struct olv_told *told, struct olv_text *out)
{
    term_name(out, told->path);
    if (*told->into) {
        olv_text_puts(out, " -> ");
        term_name(out, olv_path_name(told->into));
    }
    if (*told->reason) {
        olv_text_puts(out, *told->into ? "; stays: " : ": ");
        term_name(out, told->reason);
    }
}

/* What the packed one is of the plain one, whichever of both came first. */
static double percentage(uint64_t a, uint64_t b)
{
    double packed = (double)(a < b ? a : b), plain = (double)(a < b ? b : a);
    return plain > 0 ? 100.0 * packed / plain : 100.0;
}

static void print_row(struct outcome_view *view, const struct olv_told *told)
{
    struct olv_text what = {0};
    char before[OLV_SIZE_TEXT], after[OLV_SIZE_TEXT] = "", ratio[32] = "", time[32] = "";
    if (told->has_stored) {
        olv_size_format(told->stored_bytes, after);
        snprintf(ratio, sizeof ratio, "%.1f %%", percentage(told->size_bytes, told->stored_bytes));
    }
    if (told->seconds > 0)
        snprintf(time, sizeof time, "%.2f s", told->seconds);
    add_what(told, &what);
    table_cell(view->table, STYLE_PLAIN, olv_size_format(told->size_bytes, before));
    table_cell(view->table, STYLE_PLAIN, after);
    table_cell(view->table, STYLE_PLAIN, ratio);
    table_cell(view->table, STYLE_PLAIN, time);
    table_cell(view->table, STYLE_PLAIN, olv_text_string(&what));
    olv_text_free(&what);
}

static void on_outcome(void *self, const struct olv_told *told)
{
    struct outcome_view *view = self;
    watch_hide(view->cli);
    if (cli_has(view->cli, OPT_JSON))
        print_json(told);
    else if (view->table)
        print_row(view, told);
}

void outcome_view_begin(struct outcome_view *view, struct cli *cli, uint64_t files)
{
    static const struct table_column columns[] = {{.heading = "Before", .is_right = true, .width = 10},
                                                  {.heading = "After", .is_right = true, .width = 10},
                                                  {.heading = "Ratio", .is_right = true, .width = 7},
                                                  {.heading = "Time", .is_right = true, .width = 8},
                                                  {.heading = "File", .is_elastic = true}};
    bool shows =
        !cli_has(cli, OPT_JSON) && !cli_has(cli, OPT_QUIET) && (files <= SHOWN || cli_has(cli, OPT_VERBOSE));
    *view = (struct outcome_view){.cli = cli, .table = shows ? table_begin(cli, columns, 5) : NULL};
    if (shows || cli_has(cli, OPT_JSON))
        watch_outcomes(cli, on_outcome, view);
}

void outcome_view_end(struct outcome_view *view)
{
    watch_outcomes(view->cli, NULL, NULL);
    table_end(view->table);
}
