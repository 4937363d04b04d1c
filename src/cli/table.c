/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/table.h"

#include <stdlib.h>
#include <string.h>

enum { GAP = 2, LEAST_ELASTIC = 12 };

struct cell {
    struct olv_text text;
    enum term_style style;
};

struct table {
    const struct cli *cli;
    const struct table_column *columns;
    size_t count;
    struct cell *cells;
    size_t cell_count, cell_cap;
    bool is_streaming, has_heading;
};

struct table *table_begin(const struct cli *cli, const struct table_column *columns, size_t count)
{
    struct table *t = cli_has(cli, OPT_JSON) ? NULL : calloc(1, sizeof *t);
    if (!t)
        return NULL;
    *t = (struct table){.cli = cli, .columns = columns, .count = count, .is_streaming = true};
    for (size_t i = 0; i + 1 < count; i++)
        t->is_streaming &= columns[i].width > 0;
    return t;
}

static unsigned width_of(const struct table *t, size_t column)
{
    unsigned width = term_columns(t->columns[column].heading);
    if (t->is_streaming && column + 1 < t->count)
        return width > t->columns[column].width ? width : t->columns[column].width;
    for (size_t i = column; i < t->cell_count; i += t->count) {
        unsigned w = term_columns(olv_text_string(&t->cells[i].text));
        width = w > width ? w : width;
    }
    return width;
}

/* Fits the widths of all columns into the terminal; false if impossible. */
static bool table_fit(const struct table *t, unsigned widths[TABLE_COLUMNS])
{
    unsigned total = 0, elastic = TABLE_COLUMNS;
    for (size_t i = 0; i < t->count; i++) {
        widths[i] = width_of(t, i);
        total += widths[i] + (i ? GAP : 0);
        if (t->columns[i].is_elastic)
            elastic = (unsigned)i;
    }
    if (t->cli->width == 0 || total <= t->cli->width)
        return true;
    if (elastic == TABLE_COLUMNS || widths[elastic] + t->cli->width < total + LEAST_ELASTIC)
        return false;
    widths[elastic] -= total - t->cli->width;
    return true;
}

static void write_cell(const struct table *t, size_t column, struct olv_text *text, enum term_style style,
                       unsigned width)
{
    bool is_last = column + 1 == t->count;
    unsigned columns;
    if (is_last && text->len == 0)
        return; /* no trailing blanks */
    if (t->columns[column].is_elastic && t->cli->width)
        term_shorten(text, width);
    columns = term_columns(olv_text_string(text));
    if (column)
        printf("%*s", GAP, "");
    if (t->columns[column].is_right && columns < width)
        printf("%*s", (int)(width - columns), "");
    printf("%s%s%s", style ? term_begin(t->cli, style) : "", olv_text_string(text),
           style ? term_end(t->cli) : "");
    if (!t->columns[column].is_right && !is_last && columns < width)
        printf("%*s", (int)(width - columns), "");
}

static void write_heading(struct table *t, const unsigned widths[TABLE_COLUMNS])
{
    if (t->has_heading)
        return;
    t->has_heading = true;
    for (size_t i = 0; i < t->count; i++) {
        struct olv_text heading = {0};
        olv_text_puts(&heading, t->columns[i].heading);
        write_cell(t, i, &heading, STYLE_HEADING, widths[i]);
        olv_text_free(&heading);
    }
    putchar('\n');
}

/* For a terminal too narrow for the table: one cell per line, a blank line between rows. */
static void write_stacked(struct table *t, const struct cell *row)
{
    for (size_t i = 0; i < t->count; i++) {
        if (*olv_text_string(&row[i].text) == '\0')
            continue;
        if (*t->columns[i].heading)
            printf("%s%s%s ", term_begin(t->cli, STYLE_HEADING), t->columns[i].heading, term_end(t->cli));
        printf("%s\n", olv_text_string(&row[i].text));
    }
    putchar('\n');
}

static void table_flush(struct table *t)
{
    unsigned widths[TABLE_COLUMNS];
    bool fits = table_fit(t, widths);
    for (size_t i = 0; i + t->count <= t->cell_count; i += t->count) {
        if (!fits) {
            write_stacked(t, &t->cells[i]);
            continue;
        }
        write_heading(t, widths);
        for (size_t k = 0; k < t->count; k++)
            write_cell(t, k, &t->cells[i + k].text, t->cells[i + k].style, widths[k]);
        putchar('\n');
    }
    for (size_t i = 0; i < t->cell_count; i++)
        olv_text_free(&t->cells[i].text);
    t->cell_count = 0;
}

static bool table_make_room(struct table *t)
{
    size_t cap = t->cell_cap ? 2 * t->cell_cap : 64;
    struct cell *grown;
    if (t->cell_count < t->cell_cap)
        return true;
    grown = realloc(t->cells, cap * sizeof *grown);
    if (!grown)
        return false;
    t->cells = grown;
    t->cell_cap = cap;
    return true;
}

void table_text(struct table *t, enum term_style style, struct olv_text *text)
{
    if (!t || !table_make_room(t)) {
        olv_text_free(text);
        return;
    }
    t->cells[t->cell_count++] = (struct cell){*text, style};
    *text = (struct olv_text){0};
    if (t->is_streaming && t->cell_count == t->count)
        table_flush(t);
}

void table_cell(struct table *t, enum term_style style, const char *text)
{
    struct olv_text copy = {0};
    olv_text_puts(&copy, text);
    table_text(t, style, &copy);
}

void table_name(struct table *t, enum term_style style, const char *name)
{
    struct olv_text safe = {0};
    term_name(&safe, name);
    table_text(t, style, &safe);
}

void table_size(struct table *t, enum term_style style, uint64_t bytes)
{
    table_cell(t, style, SIZE(bytes));
}

void table_number(struct table *t, enum term_style style, uint64_t number)
{
    table_cell(t, style, NUMBER(number));
}

void table_date(struct table *t, enum term_style style, struct olv_instant when)
{
    table_cell(t, style, when.s ? DATE(when) : "?");
}

void table_end(struct table *t)
{
    if (!t)
        return;
    table_flush(t);
    free(t->cells);
    free(t);
}
