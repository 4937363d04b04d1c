/* SPDX-License-Identifier: Apache-2.0 */
/* What the lexer and the parser of statements, and the readers of their values, share. */
#ifndef OLV_POLICY_PARSER_H
#define OLV_POLICY_PARSER_H

#include "policy/expr.h"

#include <stdbool.h>
#include <stddef.h>

/* ---- words ---- */

enum token_kind {
    TOKEN_END,
    TOKEN_WORD,     /* begins with a letter */
    TOKEN_FIGURE,   /* begins with a digit: a number, a size, a date */
    TOKEN_STRING,   /* in quotes, which are not part of its place */
    TOKEN_SIGN,     /* ( ) , = != < <= > >= */
    TOKEN_UNCLOSED, /* a string without its closing quote */
    TOKEN_STRANGE   /* a byte that begins nothing */
};

struct token {
    enum token_kind kind;
    size_t offset, len; /* in the text, without quotes */
};

/* The token at or after `at`; `*after` is where the next one begins. */
struct token token_next(const char *text, size_t len, size_t at, size_t *after);
bool token_is(const char *text, struct token token, const char *word);

/* ---- statements ---- */

struct parser {
    const char *text;
    size_t len, at, after, behind; /* the last token taken ends at `behind`; the token begins at or after
                                      `at`, the next one after `after` */
    struct token token;
    struct olv_arena *arena;
    const struct expr_parse_options *options;
    struct expr_node *regexes;
    unsigned nodes;
    bool names_kind;
    bool failed;      /* something was complained about */
    bool gave_up;     /* the shape is wrong: nothing after it can be understood */
    bool is_guessing; /* behind an unknown field: any value will do */
};

void parser_step(struct parser *p);
void parser_complain(struct parser *p, struct token at, const char *expected, const char *nearest,
                     const char *format, ...);
/* Reads one value of the field's type; false after a complaint. */
bool parser_value(struct parser *p, const struct field *field, struct value *out);
/* Compiles the string at `at` for `node`, whose value it is. */
void parser_regex(struct parser *p, struct expr_node *node, struct token at);

#endif
