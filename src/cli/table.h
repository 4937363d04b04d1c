/* SPDX-License-Identifier: Apache-2.0 */
/* Tables of a few aligned columns. On a terminal too narrow for them, columns that say the same in each row
 * are left out, then the elastic one breaks its line; where that is not enough, each row becomes lines of
 * "heading value". Nothing is shortened. */
#ifndef OLV_CLI_TABLE_H
#define OLV_CLI_TABLE_H

#include "cli/cli.h"
#include "cli/term.h"

enum { TABLE_COLUMNS = 8 };

struct table_column {
    const char *heading;
    bool is_right;   /* right-aligned: numbers */
    bool is_elastic; /* breaks its line on a narrow terminal; at most one */
    unsigned width;  /* a fixed width lets rows be written at once; 0: measured */
};

struct table;
/* Borrows the columns. If all columns except the last have a width, rows are written as they come. NULL for
 * programs (--json); everything done with NULL does nothing. */
struct table *table_begin(const struct cli *cli, const struct table_column *columns, size_t count);
/* One cell after the other, from left to right. The text is copied. */
void table_cell(struct table *table, enum term_style style, const char *text);
/* A composed text, which is emptied. */
void table_text(struct table *table, enum term_style style, struct olv_text *text);
/* An escaped name; a size; a number; a date, "?" if there is none. */
void table_name(struct table *table, enum term_style style, const char *name);
void table_size(struct table *table, enum term_style style, uint64_t bytes);
void table_number(struct table *table, enum term_style style, uint64_t number);
void table_date(struct table *table, enum term_style style, struct olv_instant when);
/* Writes what was collected, and frees the table. */
void table_end(struct table *table);

#endif
