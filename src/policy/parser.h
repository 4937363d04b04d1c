/* SPDX-License-Identifier: Apache-2.0 */
/* What the parser of statements and the readers of its values share. */
#ifndef OLV_POLICY_PARSER_H
#define OLV_POLICY_PARSER_H

#include "policy/expr.h"
#include "policy/lexer.h"

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
