/* SPDX-License-Identifier: Apache-2.0 */
/* Tables of a few aligned columns. On a terminal too narrow for them, each row is written as lines of
 * "heading value". */
#ifndef OLV_CLI_TABLE_H
#define OLV_CLI_TABLE_H

#include "cli/cli.h"
#include "cli/term.h"

enum { TABLE_COLUMNS = 8 };

struct table_column {
    const char *heading;
    bool is_right;   /* aligned to the right: numbers */
    bool is_elastic; /* shortened when the terminal is narrow; at most one */
    unsigned width;  /* with this, rows can be written at once, without collecting them; 0: measured */
};

struct table;
/* Borrows the columns. A table whose columns all have a width (but the last) writes its rows as they come. */
struct table *table_begin(const struct cli *cli, const struct table_column *columns, size_t count);
/* One cell after the other, from left to right. The text is copied. */
void table_cell(struct table *table, enum term_style style, const char *text);
/* Writes what was collected and frees the table. */
void table_end(struct table *table);

#endif
