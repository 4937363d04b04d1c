/* SPDX-License-Identifier: Apache-2.0 */
/* Writing for people: harmless names, aligned tables, colours that never carry meaning alone. */
#ifndef OLV_CLI_TERM_H
#define OLV_CLI_TERM_H

#include "cli/cli.h"
#include "olvido/calendar.h"
#include "olvido/quantity.h"
#include "olvido/text.h"

#include <stdarg.h>

/* Appends a name so that it cannot affect a terminal: control characters, those that change direction or have
 * no width, invalid UTF-8 and the backslash become \n, \t, \x1B, \u{202E}, \\. */
void term_name(struct olv_text *out, const char *bytes);
/* Appends a word of a command, quoted for a shell, so that it can be pasted: what a terminal must not get is
 * written $'\x1B' (POSIX.1-2024, 2.2.4). */
void term_word(struct olv_text *out, const char *bytes);
/* The same as term_name for a whole formatted line. */
void term_format(struct olv_text *out, const char *format, va_list args);
/* Columns that UTF-8 text takes. */
unsigned term_columns(const char *text);
/* Shortens UTF-8 text to at most `columns`, with an ellipsis in the middle. */
void term_shorten(struct olv_text *text, unsigned columns);

/* Words for a line. The macros allocate in the enclosing block. */
enum { TERM_DATE = 20, TERM_COUNT = 96 };
/* "2026-10-03 14:05" in local time. */
char *term_date(struct olv_instant t, char out[TERM_DATE]);
/* "12,034"; and with a noun, "1 file", "12,034 files". */
char *term_number(uint64_t number, char out[TERM_COUNT]);
char *term_count(uint64_t number, const char *one, const char *many, char out[TERM_COUNT]);
/* "12 files", "1 directory", "12 files and 1 directory". */
char *term_files(uint64_t files, uint64_t directories, char out[TERM_COUNT]);
#define FILES(files, directories) term_files(files, directories, (char[TERM_COUNT]){0})
#define DATE(t)                   term_date(t, (char[TERM_DATE]){0})
#define NUMBER(number)            term_number(number, (char[TERM_COUNT]){0})
#define COUNT(number, one, many)  term_count(number, one, many, (char[TERM_COUNT]){0})
#define SIZE(bytes)               olv_size_format(bytes, (char[OLV_SIZE_TEXT]){0})

enum term_style { STYLE_PLAIN, STYLE_HEADING, STYLE_FAINT, STYLE_WARN, STYLE_ERROR, STYLE_GOOD };
/* The escape sequences around styled text; "" without colour. */
const char *term_begin(const struct cli *cli, enum term_style style);
const char *term_end(const struct cli *cli);

/* A message to standard error, starting with "olvido: "; escapes names. */
void term_message(const struct cli *cli, enum term_style style, const char *format, ...);

#endif
