/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the lexer and parser of statements and the readers of their values. */
#ifndef OLV_POLICY_PARSER_H
#define OLV_POLICY_PARSER_H

#include "policy/expr.h"

#include <stdbool.h>
#include <stddef.h>

/* ---- words ---- */

enum token_kind {
    TOKEN_END,
    TOKEN_WORD,     /* starts with a letter */
    TOKEN_FIGURE,   /* starts with a digit: a number, a size, a date */
    TOKEN_STRING,   /* in quotes, which are not part of its range */
    TOKEN_SIGN,     /* ( ) , = != < <= > >= */
    TOKEN_UNCLOSED, /* a string without its closing quote */
    TOKEN_STRANGE   /* a byte that starts no token */
};

struct token {
    enum token_kind kind;
    size_t offset, len; /* in the text, without quotes */
};

/* The first token at or after `at`; `*after` is where the next one may begin. */
struct token token_next(const char *text, size_t len, size_t at, size_t *after);
bool token_is(const char *text, struct token token, const char *word);

/* ---- statements ---- */

struct parser {
    const char *text;
    size_t len, at, after, behind; /* `behind`: the end of the last token taken; `at` and `after`: where the
                                      current and the next may begin */
    struct token token;
    struct olv_arena *arena;
    const struct expr_parse_options *options;
    struct expr_node *regexes;
    unsigned nodes;
    bool names_kind;
    bool failed;      /* a complaint was made */
    bool gave_up;     /* wrong syntax: nothing after it makes sense */
    bool is_guessing; /* after an unknown field: any value will do */
};

void parser_step(struct parser *p);
void parser_complain(struct parser *p, struct token at, const char *expected, const char *nearest,
                     const char *format, ...);
/* Reads one value of the field's type; false after a complaint. */
bool parser_value(struct parser *p, const struct field *field, struct value *out);
/* Compiles the string at `at` as the value of `node`. */
void parser_regex(struct parser *p, struct expr_node *node, struct token at);

#endif
