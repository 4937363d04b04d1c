/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/term.h"

#include <string.h>
#include <time.h>
#include <unistd.h>
#include <unistr.h>
#include <uniwidth.h>

/* Characters that reverse or hide text, and so could disguise a name. */
static bool is_treacherous(ucs4_t c)
{
    return c < 0x20 || (c >= 0x7F && c < 0xA0) || c == 0x061C || (c >= 0x200B && c <= 0x200F) ||
           (c >= 0x2028 && c <= 0x202E) || (c >= 0x2060 && c <= 0x206F) || c == 0xFEFF ||
           (c >= 0xE0000 && c <= 0xE007F);
}

static void term_escape(struct olv_text *out, ucs4_t c)
{
    if (c == '\n')
        olv_text_puts(out, "\\n");
    else if (c == '\t')
        olv_text_puts(out, "\\t");
    else if (c < 0x80)
        olv_text_printf(out, "\\x%02X", (unsigned)c);
    else
        olv_text_printf(out, "\\u{%04X}", (unsigned)c);
}

void term_name(struct olv_text *out, const char *bytes)
{
    const uint8_t *at = (const uint8_t *)bytes, *end = at + strlen(bytes);
    while (at < end) {
        ucs4_t c;
        int n = u8_mbtoucr(&c, at, (size_t)(end - at));
        if (n <= 0)
            olv_text_printf(out, "\\x%02X", (unsigned)*at);
        else if (c == '\\')
            olv_text_puts(out, "\\\\");
        else if (is_treacherous(c))
            term_escape(out, c);
        else
            olv_text_add(out, at, (size_t)n);
        at += n > 0 ? n : 1;
    }
}

/* How many bytes at `at` may be shown; 0: the first one may not. */
static size_t shown_as_they_are(const uint8_t *at, const uint8_t *end)
{
    ucs4_t c;
    int n = u8_mbtoucr(&c, at, (size_t)(end - at));
    return n <= 0 || is_treacherous(c) ? 0 : (size_t)n;
}

static bool is_harmless(const uint8_t *at, const uint8_t *end)
{
    size_t n = 1;
    while (at < end && (n = shown_as_they_are(at, end)))
        at += n;
    return n > 0;
}

/* Between $' and '. */
static void put_escaped(struct olv_text *out, const uint8_t *at, const uint8_t *end)
{
    for (size_t n; at < end; at += n ? n : 1) {
        n = shown_as_they_are(at, end);
        if (n == 0)
            olv_text_printf(out, "\\x%02X", (unsigned)*at);
        else if (*at == '\\' || *at == '\'')
            olv_text_printf(out, "\\%c", *at);
        else
            olv_text_add(out, at, n);
    }
}

void term_word(struct olv_text *out, const char *bytes)
{
    static const char plain[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/._-+:,@%=";
    const uint8_t *begin = (const uint8_t *)bytes, *end = begin + strlen(bytes);
    if (*bytes && strspn(bytes, plain) == strlen(bytes)) {
        olv_text_puts(out, bytes);
    } else if (!is_harmless(begin, end)) {
        olv_text_puts(out, "$'");
        put_escaped(out, begin, end);
        olv_text_puts(out, "'");
    } else {
        olv_text_puts(out, "'");
        for (; *bytes; bytes++)
            olv_text_printf(out, *bytes == '\'' ? "'\\''" : "%c", *bytes);
        olv_text_puts(out, "'");
    }
}

void term_format(struct olv_text *out, const char *format, va_list args)
{
    struct olv_text text = {0};
    olv_text_vprintf(&text, format, args);
    term_name(out, olv_text_string(&text));
    olv_text_free(&text);
}

unsigned term_columns(const char *text)
{
    return (unsigned)u8_strwidth((const uint8_t *)text, "UTF-8");
}

/* The bytes of the longest prefix (or with `from_end`, suffix) that takes at most `columns`. */
static size_t part_within(const char *text, size_t len, unsigned columns, bool from_end)
{
    const uint8_t *start = (const uint8_t *)text, *end = start + len, *at = from_end ? end : start;
    ucs4_t c;
    while (from_end ? at > start : at < end) {
        const uint8_t *next = from_end ? u8_prev(&c, at, start) : u8_next(&c, at);
        int width = next ? uc_width(c, "UTF-8") : 1;
        if (!next || (unsigned)(width > 0 ? width : 0) > columns)
            break;
        columns -= (unsigned)(width > 0 ? width : 0);
        at = next;
    }
    return (size_t)(from_end ? end - at : at - start);
}

void term_shorten(struct olv_text *text, unsigned columns)
{
    struct olv_text shorter = {0};
    size_t head, tail;
    if (!text->data || term_columns(text->data) <= columns || columns < 3)
        return;
    head = part_within(text->data, text->len, (columns - 1) / 2, false);
    tail = part_within(text->data, text->len, columns - 1 - (columns - 1) / 2, true);
    olv_text_add(&shorter, text->data, head);
    olv_text_puts(&shorter, "\xE2\x80\xA6");
    olv_text_add(&shorter, text->data + text->len - tail, tail);
    olv_text_free(text);
    *text = shorter;
}

char *term_date(struct olv_instant t, char out[TERM_DATE])
{
    time_t time = (time_t)t.s;
    struct tm tm;
    if (!localtime_r(&time, &tm) || strftime(out, TERM_DATE, "%Y-%m-%d %H:%M", &tm) == 0)
        snprintf(out, TERM_DATE, "?");
    return out;
}

const char *term_begin(const struct cli *cli, enum term_style style)
{
    static const char *const sequences[] = {"", "\033[1m", "\033[2m", "\033[33m", "\033[31m", "\033[32m"};
    return cli->has_colour ? sequences[style] : "";
}

const char *term_end(const struct cli *cli)
{
    return cli->has_colour ? "\033[0m" : "";
}

char *term_number(uint64_t number, char out[TERM_COUNT])
{
    char digits[24];
    int len = snprintf(digits, sizeof digits, "%llu", (unsigned long long)number);
    char *to = out;
    for (int i = 0; i < len; i++) {
        *to++ = digits[i];
        if (i + 1 < len && (len - i - 1) % 3 == 0)
            *to++ = ',';
    }
    *to = '\0';
    return out;
}

char *term_count(uint64_t number, const char *one, const char *many, char out[TERM_COUNT])
{
    size_t len = strlen(term_number(number, out));
    snprintf(out + len, TERM_COUNT - len, " %s", number == 1 ? one : many);
    return out;
}

char *term_files(uint64_t files, uint64_t directories, char out[TERM_COUNT])
{
    if (!directories)
        return term_count(files, "file", "files", out);
    if (!files)
        return term_count(directories, "directory", "directories", out);
    snprintf(out, TERM_COUNT, "%s and %s", COUNT(files, "file", "files"),
             COUNT(directories, "directory", "directories"));
    return out;
}

void term_message(const struct cli *cli, enum term_style style, const char *format, ...)
{
    bool colour = cli->has_colour && isatty(STDERR_FILENO);
    struct olv_text safe = {0};
    va_list args;
    va_start(args, format);
    term_format(&safe, format, args);
    va_end(args);
    fflush(stdout);
    fprintf(stderr, "%solvido:%s %s\n", colour ? term_begin(cli, style) : "", colour ? term_end(cli) : "",
            olv_text_string(&safe));
    olv_text_free(&safe);
}
