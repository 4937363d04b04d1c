/* SPDX-License-Identifier: Apache-2.0 */
#include "base/example.h"

#define PCRE2_CODE_UNIT_WIDTH 8
#include <pcre2.h>
#include <stdlib.h>
#include <string.h>
#include <unistr.h>

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

enum { LONGEST_EXAMPLE = 250, MOST_ATTEMPTS = 30000 };

/* A search, letter by letter: the library says whether the text can still become a match. */
struct regex_search {
    pcre2_code *code;
    pcre2_match_data *match;
    const struct olv_text *letters;
    struct olv_text *out;
    size_t before;     /* length of `out` before the search */
    unsigned attempts; /* attempts left */
};

static pcre2_code *regex_compile(const struct olv_text *pattern, uint32_t options)
{
    PCRE2_SIZE offset;
    int code;
    return pattern->failed
               ? NULL
               : pcre2_compile((PCRE2_SPTR)pattern->data, pattern->len, options, &code, &offset, NULL);
}

static bool regex_search_from(struct regex_search *s)
{
    size_t len = s->out->len;
    int size, answer = pcre2_match(s->code, (PCRE2_SPTR)olv_text_string(s->out) + s->before, len - s->before,
                                   0, PCRE2_PARTIAL_SOFT, s->match, NULL);
    if (answer >= 0)
        return true;
    if ((answer != PCRE2_ERROR_PARTIAL && len > s->before) || len - s->before > LONGEST_EXAMPLE)
        return false;
    for (const char *c = s->letters->data; s->attempts && (size = u8_strmblen((const uint8_t *)c)) > 0;
         c += size) {
        s->attempts--;
        olv_text_add(s->out, c, (size_t)size);
        if (s->out->failed || regex_search_from(s))
            return !s->out->failed;
        s->out->data[s->out->len = len] = '\0';
    }
    return false;
}

/* The pattern with each part (an escape, a class, the start of a group, a letter) repeated only as often as
 * required, so that no repetition leads the search astray: x{2,5}?, x* and x+ become x{2}, x{0} and x. */
static pcre2_code *regex_least(const char *pattern, size_t len)
{
    static const char each[] = "(?s)(\\\\.|\\[\\^?\\]?(?:\\[:.*?:\\]|\\\\.|[^]\\\\])*\\]|\\([?*]?|.)"
                               "(?:(?:(\\{\\d+)(?:,\\d*)?\\}|([*?])|\\+)[?+]?)?",
                      instead[] = "$1${2:+$2\\}:}${3:+{0\\}:}";
    struct olv_text parts = {0}, least = {0};
    PCRE2_SIZE room = 3 * len + 1;
    char *out;
    pcre2_code *code = NULL;
    olv_text_puts(&parts, each);
    olv_text_puts(&least, "(*LIMIT_MATCH=10000)");
    out = olv_text_room(&least, room);
    code = regex_compile(&parts, 0);
    if (out && code &&
        pcre2_substitute(code, (PCRE2_SPTR)pattern, len, 0,
                         PCRE2_SUBSTITUTE_GLOBAL | PCRE2_SUBSTITUTE_EXTENDED, NULL, NULL, (PCRE2_SPTR)instead,
                         sizeof instead - 1, (PCRE2_UCHAR *)out, &room) >= 0)
        least.len += room;
    pcre2_code_free(code);
    code = regex_compile(&least, PCRE2_UTF | PCRE2_MATCH_INVALID_UTF | PCRE2_ANCHORED);
    olv_text_free(&parts);
    olv_text_free(&least);
    return code;
}

void olv_regex_example(struct olv_text *out, const char *pattern, size_t len)
{
    struct olv_text letters = {0};
    struct regex_search s = {.code = regex_least(pattern, len),
                             .match = pcre2_match_data_create(1, NULL),
                             .letters = &letters,
                             .out = out,
                             .before = out->len,
                             .attempts = MOST_ATTEMPTS};
    olv_text_puts(&letters, "x0aA-_ .z9");
    for (int c = ' '; c <= '~'; c++)
        olv_text_printf(&letters, "%c", c);
    for (size_t i = 0; i < len; i++)
        if (pattern[i] & 0x80)
            olv_text_add(&letters, pattern + i, 1);
    if (s.code && s.match && !letters.failed && !regex_search_from(&s) && out->data)
        out->data[out->len = s.before] = '\0';
    pcre2_code_free(s.code);
    pcre2_match_data_free(s.match);
    olv_text_free(&letters);
}
