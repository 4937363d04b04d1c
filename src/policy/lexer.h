/* SPDX-License-Identifier: Apache-2.0 */
/* The words of a `where` statement. */
#ifndef OLV_POLICY_LEXER_H
#define OLV_POLICY_LEXER_H

#include <stdbool.h>
#include <stddef.h>

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

#endif
