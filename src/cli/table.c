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

/* Whether a column says the same in every row, of which there are several. */
static bool says_the_same(const struct table *t, size_t column)
{
    const struct olv_text *first = &t->cells[column].text;
    for (size_t i = column + t->count; i < t->cell_count; i += t->count)
        if (!olv_text_is_same(&t->cells[i].text, first))
            return false;
    return !t->is_streaming && t->cell_count > t->count;
}

/* What the columns are in: their widths, and which of them are left out. */
struct layout {
    unsigned widths[TABLE_COLUMNS];
    bool is_out[TABLE_COLUMNS];
};

static unsigned total_of(const struct table *t, const struct layout *l)
{
    unsigned total = 0;
    for (size_t i = 0; i < t->count; i++)
        total += l->is_out[i] ? 0 : l->widths[i] + (total ? GAP : 0);
    return total;
}

/* Fits the columns into the terminal: first those that say the same in each row go, then the elastic one
 * breaks its line. False if not even that fits. */
static bool table_fit(const struct table *t, struct layout *l)
{
    unsigned elastic = TABLE_COLUMNS;
    *l = (struct layout){{0}, {false}};
    for (size_t i = 0; i < t->count; i++) {
        l->widths[i] = width_of(t, i);
        if (t->columns[i].is_elastic)
            elastic = (unsigned)i;
    }
    if (t->cli->width == 0)
        return true;
    for (size_t i = 0; i + 1 < t->count && total_of(t, l) > t->cli->width; i++)
        l->is_out[i] = says_the_same(t, i);
    if (total_of(t, l) <= t->cli->width)
        return true;
    if (elastic == TABLE_COLUMNS || l->widths[elastic] + t->cli->width < total_of(t, l) + LEAST_ELASTIC)
        return false;
    l->widths[elastic] -= total_of(t, l) - t->cli->width;
    return true;
}

static void put_styled(const struct table *t, const char *text, enum term_style style)
{
    printf("%s%s%s", style ? term_begin(t->cli, style) : "", text, style ? term_end(t->cli) : "");
}

static void write_cell(const struct table *t, size_t column, const char *text, enum term_style style,
                       unsigned width, bool is_first)
{
    bool is_last = column + 1 == t->count;
    unsigned columns = term_columns(text);
    if (is_last && !*text)
        return; /* no trailing blanks */
    if (!is_first)
        printf("%*s", GAP, "");
    if (t->columns[column].is_right && columns < width)
        printf("%*s", (int)(width - columns), "");
    put_styled(t, text, style);
    if (!t->columns[column].is_right && !is_last && columns < width)
        printf("%*s", (int)(width - columns), "");
}

/* What is too wide for its column, and not the last one, gets a line below. */
static void write_row(const struct table *t, const struct cell *row, const struct layout *l)
{
    const struct cell *below = NULL;
    bool is_first = true;
    for (size_t k = 0; k < t->count; k++) {
        const char *text = olv_text_string(&row[k].text);
        if (l->is_out[k])
            continue;
        if (k + 1 < t->count && t->columns[k].is_elastic && term_columns(text) > l->widths[k]) {
            below = &row[k];
            text = "";
        }
        write_cell(t, k, text, row[k].style, l->widths[k], is_first);
        is_first = false;
    }
    putchar('\n');
    if (!below)
        return;
    printf("%*s", 2 * GAP, "");
    put_styled(t, olv_text_string(&below->text), below->style);
    putchar('\n');
}

static void write_heading(struct table *t, const struct layout *l)
{
    bool is_first = true;
    if (t->has_heading)
        return;
    t->has_heading = true;
    for (size_t i = 0; i < t->count; i++) {
        if (l->is_out[i])
            continue;
        write_cell(t, i, t->columns[i].heading, STYLE_HEADING, l->widths[i], is_first);
        is_first = false;
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
    struct layout layout;
    bool fits = table_fit(t, &layout);
    for (size_t i = 0; i + t->count <= t->cell_count; i += t->count) {
        if (!fits) {
            write_stacked(t, &t->cells[i]);
            continue;
        }
        write_heading(t, &layout);
        write_row(t, &t->cells[i], &layout);
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
