/* SPDX-License-Identifier: Apache-2.0 */
#include "base/example.h"

#include <stdlib.h>
#include <string.h>

void olv_glob_example(struct olv_text *out, const char *p, size_t len, const char *star)
{
    for (size_t i = 0; i < len; i++) {
        if (p[i] == '?') {
            olv_text_add(out, "x", 1);
        } else if (p[i] != '*') {
            olv_text_add(out, p + i, 1);
        } else {
            olv_text_puts(out, star);
            i += i + 1 < len && p[i + 1] == '*';
        }
    }
}

void olv_name_date_example(struct olv_text *out, const char *pattern, struct olv_date date)
{
    static const char letters[] = "mdHMS";
    const int parts[] = {date.month, date.day, date.hour, date.minute, date.second};
    for (; *pattern; pattern++) {
        const char *letter = NULL;
        bool is_special = *pattern == '%' && pattern[1];
        if (is_special)
            letter = strchr(letters, *++pattern);
        if (letter)
            olv_text_printf(out, "%02d", parts[letter - letters]);
        else if (is_special && *pattern == 'Y')
            olv_text_printf(out, "%04lld", (long long)date.year);
        else
            olv_text_add(out, pattern, 1);
    }
}

/* ---- regular expressions ---- */

enum { DEEPEST = 50, MOST_TIMES = 64 };

struct expression {
    const char *at, *end;
    struct olv_text *out;
    int depth;
};

static bool next_is(const struct expression *x, char c)
{
    return x->at < x->end && *x->at == c;
}

/* What an escaped letter stands for; nothing for places like \b. */
static void example_escape(struct expression *x)
{
    static const char *const classes[] = {"d0", "wa", "s ", "Dx", "W-", "Sx", "t\t", "n\n", "h ", "Nx"};
    char c = x->at < x->end ? *x->at++ : '\\';
    for (size_t i = 0; i < sizeof classes / sizeof *classes; i++)
        if (classes[i][0] == c) {
            olv_text_add(x->out, classes[i] + 1, 1);
            return;
        }
    if (!strchr("bBAzZGK", c))
        olv_text_add(x->out, &c, 1);
}

/* Whether a list "a-z_" (of a class in brackets) has this character. */
static bool has(const char *list, size_t len, char c)
{
    for (size_t i = 0; i < len; i++) {
        if (i + 2 < len && list[i + 1] == '-') {
            if (c >= list[i] && c <= list[i + 2])
                return true;
            i += 2;
        } else if (list[i] == c) {
            return true;
        }
    }
    return false;
}

static void bracketed(struct expression *x)
{
    static const char candidates[] = "x0_-.AaZz9 ~";
    bool is_negated = next_is(x, '^');
    const char *list = x->at += is_negated, *close;
    close = list < x->end ? memchr(list + 1, ']', (size_t)(x->end - list - 1)) : NULL;
    if (!close) {
        x->at = x->end;
        return;
    }
    x->at = close + 1;
    if (!is_negated && *list == '\\') {
        struct expression inner = {list + 1, close, x->out, x->depth};
        example_escape(&inner);
    } else if (!is_negated && list[0] == '[' && list[1] == ':') { /* [[:digit:]] */
        x->at += next_is(x, ']');
        olv_text_puts(x->out,
                      strncmp(list + 2, "digit", 5) == 0 || strncmp(list + 2, "xdigit", 6) == 0 ? "0" : "a");
    } else if (!is_negated) {
        olv_text_add(x->out, list, 1);
    } else {
        for (const char *c = candidates; *c; c++)
            if (!has(list, (size_t)(close - list), *c)) {
                olv_text_add(x->out, c, 1);
                return;
            }
    }
}

static void alternatives(struct expression *x, bool is_silent);

static void group(struct expression *x)
{
    bool looks_around = false;
    if (next_is(x, '?')) {
        x->at++;
        looks_around = next_is(x, '=') || next_is(x, '!') || next_is(x, '<');
        while (x->at < x->end && !strchr(":=!>", *x->at) && *x->at != ')') /* flags, names */
            x->at++;
        x->at += x->at < x->end && *x->at != ')';
    }
    alternatives(x, looks_around);
    x->at += next_is(x, ')');
}

static void atom(struct expression *x)
{
    char c = *x->at++;
    if (c == '\\')
        example_escape(x);
    else if (c == '[')
        bracketed(x);
    else if (c == '(' && x->depth < DEEPEST)
        group(x);
    else if (c == '.')
        olv_text_puts(x->out, "x");
    else if (c != '^' && c != '$')
        olv_text_add(x->out, &c, 1);
}

/* How often at least what stands before must come; 1 where nothing says so. */
static unsigned long least(struct expression *x)
{
    unsigned long times = 1;
    char *end;
    if (x->at == x->end || !strchr("*+?{", *x->at))
        return 1;
    if (*x->at == '{') {
        times = strtoul(x->at + 1, &end, 10);
        while (x->at < x->end && *x->at++ != '}')
            ;
    } else {
        times = *x->at++ == '+';
    }
    if (next_is(x, '?') || next_is(x, '+')) /* lazy, possessive */
        x->at++;
    return times < MOST_TIMES ? times : MOST_TIMES;
}

static void repeated(struct expression *x)
{
    const char *from = x->at, *behind;
    size_t before = x->out->len;
    unsigned long times;
    atom(x);
    times = least(x);
    behind = x->at;
    if (times == 0 && x->out->data)
        x->out->data[x->out->len = before] = '\0';
    for (; times > 1; times--) {
        x->at = from;
        atom(x);
    }
    x->at = behind;
}

/* The first alternative counts; the others are passed over. */
static void alternatives(struct expression *x, bool is_silent)
{
    size_t before = x->out->len, kept;
    x->depth++;
    while (x->at < x->end && *x->at != '|' && *x->at != ')')
        repeated(x);
    kept = is_silent ? before : x->out->len;
    while (x->at < x->end && *x->at != ')') {
        x->at += *x->at == '|';
        while (x->at < x->end && *x->at != '|' && *x->at != ')')
            repeated(x);
    }
    if (x->out->data && !x->out->failed)
        x->out->data[x->out->len = kept] = '\0';
    x->depth--;
}

void olv_regex_example(struct olv_text *out, const char *pattern, size_t len)
{
    struct expression x = {pattern, pattern + len, out, 0};
    alternatives(&x, false);
}
