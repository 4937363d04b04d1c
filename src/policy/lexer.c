/* SPDX-License-Identifier: Apache-2.0 */
/* Inside quotes every byte is literal, so regular expressions need no doubled backslashes; only a backslash
 * before the quote makes the quote part of the string. */
#include "policy/parser.h"

#include <string.h>

static bool is_letter(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_';
}

static bool lexer_is_digit(char c)
{
    return c >= '0' && c <= '9';
}

static bool is_blank(char c)
{
    return c == ' ' || c == '\t' || c == '\n' || c == '\r';
}

static struct token string_token(const char *text, size_t len, size_t at, size_t *after)
{
    char quote = text[at];
    size_t i = at + 1;
    while (i < len && text[i] != quote)
        i += text[i] == '\\' && i + 1 < len && text[i + 1] == quote ? 2 : 1;
    *after = i < len ? i + 1 : len;
    return (struct token){i < len ? TOKEN_STRING : TOKEN_UNCLOSED, at + 1, i - at - 1};
}

static size_t sign_length(const char *text, size_t len, size_t at)
{
    bool twice = at + 1 < len && text[at + 1] == '=';
    switch (text[at]) {
    case '(':
    case ')':
    case ',':
    case '=':
        return 1;
    case '<':
    case '>':
        return twice ? 2 : 1;
    case '!':
        return twice ? 2 : 0;
    default:
        return 0;
    }
}

struct token token_next(const char *text, size_t len, size_t at, size_t *after)
{
    struct token token = {.kind = TOKEN_STRANGE};
    size_t end;
    while (at < len && is_blank(text[at]))
        at++;
    *after = at;
    if (at == len)
        return (struct token){TOKEN_END, len, 0};
    if (text[at] == '"' || text[at] == '\'')
        return string_token(text, len, at, after);
    end = at + sign_length(text, len, at);
    if (end > at) {
        token.kind = TOKEN_SIGN;
    } else if (is_letter(text[at])) {
        token.kind = TOKEN_WORD;
        while (end < len && (is_letter(text[end]) || lexer_is_digit(text[end]) || text[end] == '-'))
            end++;
    } else if (lexer_is_digit(text[at])) {
        token.kind = TOKEN_FIGURE;
        while (end < len && (is_letter(text[end]) || lexer_is_digit(text[end]) || strchr("-:.+", text[end])))
            end++;
    } else {
        for (end = at + 1; end < len && ((unsigned char)text[end] & 0xC0) == 0x80; end++)
            ;
    }
    token.offset = at;
    token.len = end - at;
    *after = end;
    return token;
}

bool token_is(const char *text, struct token token, const char *word)
{
    return (token.kind == TOKEN_WORD || token.kind == TOKEN_SIGN) && strlen(word) == token.len &&
           memcmp(text + token.offset, word, token.len) == 0;
}
