/* SPDX-License-Identifier: Apache-2.0 */
#include "base/name_date.h"

#include <string.h>

bool olv_name_date_is_pattern(const char *pattern, size_t *at)
{
    const char *p = pattern;
    bool has_year = false;
    for (; *p; p++) {
        if (*p != '%')
            continue;
        if (!p[1] || !strchr("YmdHMS%", p[1])) {
            *at = (size_t)(p - pattern);
            return false;
        }
        has_year |= *++p == 'Y';
    }
    *at = 0;
    return has_year;
}

static bool name_date_is_digit(char c)
{
    return c >= '0' && c <= '9';
}

static bool take_digits(const char *text, size_t len, size_t digits, int *out)
{
    *out = 0;
    if (len < digits)
        return false;
    for (size_t i = 0; i < digits; i++) {
        if (!name_date_is_digit(text[i]))
            return false;
        *out = *out * 10 + (text[i] - '0');
    }
    return true;
}

static int *part_of(struct olv_date *date, char letter)
{
    switch (letter) {
    case 'm':
        return &date->month;
    case 'd':
        return &date->day;
    case 'H':
        return &date->hour;
    case 'M':
        return &date->minute;
    default:
        return &date->second;
    }
}

/* How many bytes at the front of the text the pattern matches, or 0. */
static size_t name_date_fit(const char *pattern, const char *text, size_t len, struct olv_date *date)
{
    size_t at = 0;
    *date = (struct olv_date){.month = 1, .day = 1};
    for (; *pattern; pattern++) {
        int year;
        if (pattern[0] != '%' || pattern[1] == '%') {
            pattern += *pattern == '%';
            if (at == len || text[at++] != *pattern)
                return 0;
        } else if (*++pattern == 'Y') {
            if (!take_digits(text + at, len - at, 4, &year))
                return 0;
            date->year = year;
            at += 4;
        } else {
            if (!take_digits(text + at, len - at, 2, part_of(date, *pattern)))
                return 0;
            at += 2;
        }
    }
    return at;
}

/* A day that does not exist converts back to a different one. */
static bool is_real(const struct olv_date *date)
{
    struct olv_date back;
    if (date->month < 1 || date->month > 12 || date->day < 1 || date->day > 31)
        return false;
    back = olv_date_from_seconds(olv_date_to_seconds(*date));
    return back.year == date->year && back.month == date->month && back.day == date->day &&
           back.hour == date->hour && back.minute == date->minute && back.second == date->second;
}

bool olv_name_date_read(const char *pattern, const char *name, size_t len, struct olv_date *out)
{
    for (size_t start = 0; start < len; start++) {
        size_t taken = start && name_date_is_digit(name[start - 1]) && name_date_is_digit(name[start])
                           ? 0
                           : name_date_fit(pattern, name + start, len - start, out);
        bool runs_on = taken && start + taken < len && name_date_is_digit(name[start + taken]) &&
                       name_date_is_digit(name[start + taken - 1]);
        if (taken && !runs_on && is_real(out))
            return true;
    }
    return false;
}
