/* SPDX-License-Identifier: Apache-2.0 */
/* The info file of one item: a group header, Path= in percent-encoding (RFC 2396), DeletionDate= in local
 * time. */
#include "trash/trash.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

const char TRASH_SUFFIX[] = ".trashinfo";
static const char HEADER[] = "[Trash Info]", RUN_KEY[] = "X-Olvido-Run=", RULE_KEY[] = "X-Olvido-Rule=",
                  CONTENTS_KEY[] = "X-Olvido-Contents=";

void trash_info_name(char out[NAME_MAX + 1], const char *item)
{
    snprintf(out, NAME_MAX + 1, "%.*s%s", NAME_MAX - TRASH_SUFFIX_LEN, item, TRASH_SUFFIX);
}

static bool is_plain(unsigned char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
           (c && strchr("-._~/", c));
}

void olv_trash_encode(struct olv_text *out, const char *path)
{
    static const char digits[] = "0123456789ABCDEF";
    char *room = olv_text_room(out, 3 * strlen(path)), *to = room;
    if (!room)
        return;
    for (; *path; path++) {
        unsigned char c = (unsigned char)*path;
        if (is_plain(c)) {
            *to++ = (char)c;
            continue;
        }
        *to++ = '%';
        *to++ = digits[c >> 4];
        *to++ = digits[c & 15];
    }
    *to = '\0';
    out->len += (size_t)(to - room);
}

void olv_trash_info_write(struct olv_text *out, const char *path, const char *date, const char *run,
                          const char *rule, const struct olv_contents *contents)
{
    olv_text_puts(out, HEADER);
    olv_text_puts(out, "\nPath=");
    olv_trash_encode(out, path);
    olv_text_puts(out, "\nDeletionDate=");
    olv_text_puts(out, date);
    olv_text_puts(out, "\n");
    if (contents)
        olv_text_printf(out, "%s%llu %llu\n", CONTENTS_KEY, (unsigned long long)contents->files,
                        (unsigned long long)contents->bytes);
    if (*rule) {
        olv_text_puts(out, RULE_KEY);
        olv_trash_encode(out, rule);
        olv_text_puts(out, "\n");
    }
    if (*run) {                      /* the last line: with it the file is whole */
        olv_text_puts(out, RUN_KEY); /* other programs skip lines that they do not know */
        olv_text_puts(out, run);
        olv_text_puts(out, "\n");
    }
}

void olv_trash_date(int64_t s, char out[24])
{
    time_t time = (time_t)s;
    struct tm tm;
    if (!localtime_r(&time, &tm) || strftime(out, 24, "%Y-%m-%dT%H:%M:%S", &tm) == 0)
        snprintf(out, 24, "1970-01-01T00:00:00");
}

static int digit(char c)
{
    if (c >= '0' && c <= '9')
        return c - '0';
    if (c >= 'a' && c <= 'f')
        return c - 'a' + 10;
    return c >= 'A' && c <= 'F' ? c - 'A' + 10 : -1;
}

bool olv_trash_decode(const char *text, size_t len, struct olv_text *out)
{
    olv_text_clear(out);
    for (size_t i = 0; i < len; i++) {
        int high, low;
        char byte = text[i];
        if (byte == '%') {
            high = i + 2 < len ? digit(text[i + 1]) : -1;
            low = i + 2 < len ? digit(text[i + 2]) : -1;
            if (high < 0 || low < 0)
                return false;
            byte = (char)(high << 4 | low);
            i += 2;
        }
        if (byte == '\0')
            return false;
        olv_text_add(out, &byte, 1);
    }
    return !out->failed && out->len > 0;
}

static bool read_date(const char *text, size_t len, struct olv_instant *out)
{
    char copy[24];
    struct tm tm = {.tm_isdst = -1};
    time_t time;
    if (len >= sizeof copy)
        return false;
    memcpy(copy, text, len);
    copy[len] = '\0';
    if (sscanf(copy, "%4d-%2d-%2dT%2d:%2d:%2d", &tm.tm_year, &tm.tm_mon, &tm.tm_mday, &tm.tm_hour, &tm.tm_min,
               &tm.tm_sec) != 6)
        return false;
    tm.tm_year -= 1900;
    tm.tm_mon -= 1;
    time = mktime(&tm);
    *out = (struct olv_instant){time, 0};
    return time != (time_t)-1;
}

static bool starts(const char *line, size_t len, const char *key)
{
    return len >= strlen(key) && memcmp(line, key, strlen(key)) == 0;
}

/* Only what can be a run's id. */
static void read_run(const char *text, size_t len, char run[TRASH_RUN_SIZE])
{
    if (len >= TRASH_RUN_SIZE || strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789-") < len)
        return;
    memcpy(run, text, len);
    run[len] = '\0';
}

/* "3000 1288490188": files and bytes. */
static void read_contents(const char *text, size_t len, struct trash_info *out)
{
    char copy[48], *end;
    if (len >= sizeof copy)
        return;
    memcpy(copy, text, len);
    copy[len] = '\0';
    if (copy[0] < '0' || copy[0] > '9')
        return;
    out->files = strtoull(copy, &end, 10);
    if (end[0] != ' ' || end[1] < '0' || end[1] > '9')
        return;
    out->bytes = strtoull(end + 1, &end, 10);
    out->has_contents = *end == '\0';
}

bool olv_trash_info_read(const char *text, size_t len, struct trash_info *out)
{
    const char *end = text + len;
    bool has_header = false, has_path = false, has_date = false;
    *out = (struct trash_info){.path = out->path, .rule = out->rule};
    olv_text_clear(&out->path);
    olv_text_clear(&out->rule);
    while (text < end) {
        const char *stop = memchr(text, '\n', (size_t)(end - text));
        size_t n = (size_t)((stop ? stop : end) - text);
        if (!has_header)
            has_header = n == strlen(HEADER) && starts(text, n, HEADER);
        else if (!has_path && starts(text, n, "Path=")) /* the first one counts */
            has_path = olv_trash_decode(text + 5, n - 5, &out->path);
        else if (!has_date && starts(text, n, "DeletionDate="))
            has_date = read_date(text + 13, n - 13, &out->deleted);
        else if (starts(text, n, RUN_KEY))
            read_run(text + sizeof RUN_KEY - 1, n - (sizeof RUN_KEY - 1), out->run);
        else if (starts(text, n, RULE_KEY))
            olv_trash_decode(text + sizeof RULE_KEY - 1, n - (sizeof RULE_KEY - 1), &out->rule);
        else if (starts(text, n, CONTENTS_KEY))
            read_contents(text + sizeof CONTENTS_KEY - 1, n - (sizeof CONTENTS_KEY - 1), out);
        text += n + 1;
    }
    return has_header && has_path;
}
