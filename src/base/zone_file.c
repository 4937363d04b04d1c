/* SPDX-License-Identifier: Apache-2.0 */
#include "base/zone_file.h"

#include "base/grow.h"
#include "olvido/calendar.h"

#include <stdlib.h>
#include <string.h>

enum { HEADER = 44, COUNTS = 20, DAY = 86400, LAST_YEAR = 2200, MOST_HOURS = 167 };

static bool add_change(struct zone_changes *out, int64_t from, int32_t offset_s)
{
    if (!grow(&out->items, out->count, &out->cap, sizeof *out->items))
        return false;
    out->items[out->count++] = (struct zone_change){from, offset_s};
    return true;
}

/* ---- the table of changes: RFC 9636, section 3 ---- */

struct bytes {
    const uint8_t *at;
    size_t left;
};

/* The next bytes; NULL if there are fewer. */
static const uint8_t *take(struct bytes *b, uint64_t count)
{
    const uint8_t *taken = b->at;
    if (count > b->left)
        return NULL;
    b->at += count;
    b->left -= (size_t)count;
    return taken;
}

/* Big-endian, of 4 or 8 bytes, in two's complement. */
static int64_t number(const uint8_t *bytes, unsigned width)
{
    uint64_t n = bytes[0] & 0x80 ? UINT64_MAX : 0;
    for (unsigned i = 0; i < width; i++)
        n = n << 8 | bytes[i];
    return (int64_t)n;
}

/* One header and its data, with times of this width. */
static bool read_block(struct bytes *b, unsigned width, struct zone_changes *out)
{
    const uint8_t *header = take(b, HEADER), *times, *kinds, *types;
    uint64_t counts[6];
    if (!header || memcmp(header, "TZif", 4) != 0)
        return false;
    for (unsigned i = 0; i < 6; i++) /* UT and standard indicators, leap seconds, changes, types, letters */
        counts[i] = (uint64_t)number(header + COUNTS + 4 * i, 4) & UINT32_MAX;
    times = take(b, counts[3] * width);
    kinds = take(b, counts[3]);
    types = take(b, counts[4] * 6);
    if (!times || !kinds || !types || !counts[4] ||
        !take(b, counts[5] + counts[2] * (width + 4) + counts[1] + counts[0]))
        return false;
    out->count = 0;
    if (!add_change(out, INT64_MIN, (int32_t)number(types, 4)))
        return false;
    for (uint64_t i = 0; i < counts[3]; i++) {
        int64_t from = number(times + i * width, width);
        if (kinds[i] >= counts[4] || (i && from <= out->items[out->count - 1].from) ||
            !add_change(out, from, (int32_t)number(types + (size_t)kinds[i] * 6, 4)))
            return false;
    }
    return true;
}

/* ---- the rule for what comes later: POSIX's TZ with section 3.3.1's extension ---- */

struct day_rule {
    char kind; /* 'M': week `week` of the month (5: the last), 'J': day 1 to 365 without 29 February, 'D': 0
                  to 365 */
    int month, week, day;
    int32_t time_s; /* of the day, by clocks before the change */
};

static bool skip_name(const char **p)
{
    const char *from = *p;
    if (**p == '<') {
        const char *end = strchr(*p, '>');
        *p = end ? end + 1 : *p;
        return end != NULL;
    }
    while ((**p >= 'A' && **p <= 'Z') || (**p >= 'a' && **p <= 'z'))
        ++*p;
    return *p > from;
}

static bool read_number(const char **p, int most, int *out)
{
    const char *from = *p;
    for (*out = 0; **p >= '0' && **p <= '9' && *out <= most; ++*p)
        *out = *out * 10 + (**p - '0');
    return *p > from && *out <= most;
}

/* Hours, with optional minutes and seconds. */
static bool read_time(const char **p, int32_t *out)
{
    int sign = **p == '-' ? -1 : 1, part, unit = 3600;
    *p += **p == '-' || **p == '+';
    *out = 0;
    do {
        if (!read_number(p, unit == 3600 ? MOST_HOURS : 59, &part))
            return false;
        *out += sign * part * unit;
        unit /= 60;
    } while (unit && **p == ':' && ++*p);
    return true;
}

static bool read_day(const char **p, struct day_rule *out)
{
    *out = (struct day_rule){.kind = 'D', .time_s = 2 * 3600};
    if (*(*p)++ != ',')
        return false;
    if (**p == 'M' || **p == 'J')
        out->kind = *(*p)++;
    if (out->kind == 'M' &&
        (!read_number(p, 12, &out->month) || *(*p)++ != '.' || !read_number(p, 5, &out->week) ||
         *(*p)++ != '.' || out->month < 1 || out->week < 1))
        return false;
    if (!read_number(p, out->kind == 'M' ? 6 : 365, &out->day))
        return false;
    return **p != '/' || (++*p, read_time(p, &out->time_s));
}

static int64_t first_of(int64_t year, int month)
{
    return olv_date_to_seconds((struct olv_date){.year = year, .month = month, .day = 1}) / DAY;
}

/* When that is in a year, by clocks before the change. */
static int64_t zone_file_time_of(const struct day_rule *r, int64_t year)
{
    int64_t first = first_of(year, r->kind == 'M' ? r->month : 1), day, next;
    if (r->kind == 'D')
        return (first + r->day) * DAY + r->time_s;
    if (r->kind == 'J') {
        bool has_leap_day = first_of(year, 3) - first == 60;
        return (first + r->day - 1 + (has_leap_day && r->day >= 60)) * DAY + r->time_s;
    }
    next = r->month == 12 ? first_of(year + 1, 1) : first_of(year, r->month + 1);
    day = first + (r->day - (first + 4) % 7 + 7) % 7 + (r->week - 1) * 7; /* 1970 began on a Thursday */
    return (day < next ? day : day - 7) * DAY + r->time_s;
}

/* The changes of all years after the table's last one. */
static bool add_years(const struct day_rule rules[2], const int32_t offsets[2], struct zone_changes *out)
{
    int64_t last = out->items[out->count - 1].from;
    int64_t from = last < 0 ? 1970 : olv_date_from_seconds(last).year;
    for (int64_t year = from; year < LAST_YEAR; year++) {
        int64_t begins = zone_file_time_of(&rules[0], year) - offsets[0],
                ends = zone_file_time_of(&rules[1], year) - offsets[1];
        bool is_north = begins < ends;
        int64_t times[2] = {is_north ? begins : ends, is_north ? ends : begins};
        for (int i = 0; i < 2; i++)
            if (times[i] > out->items[out->count - 1].from &&
                !add_change(out, times[i], offsets[i == 0 ? is_north : !is_north]))
                return false;
    }
    return true;
}

static bool read_rule(const char *p, struct zone_changes *out)
{
    struct day_rule rules[2];
    int32_t offsets[2]; /* standard time, and the other one */
    if (!*p)
        return true; /* nothing is known about later */
    if (!skip_name(&p) || !read_time(&p, &offsets[0]))
        return false;
    offsets[0] = -offsets[0]; /* POSIX counts westward */
    if (!*p)
        return true; /* no more changes */
    if (!skip_name(&p))
        return false;
    offsets[1] = offsets[0] + 3600;
    if (*p != ',') {
        if (!read_time(&p, &offsets[1]))
            return false;
        offsets[1] = -offsets[1];
    }
    return read_day(&p, &rules[0]) && read_day(&p, &rules[1]) && !*p && add_years(rules, offsets, out);
}

bool zone_file_read(const uint8_t *bytes, size_t len, struct zone_changes *out)
{
    struct bytes b = {bytes, len};
    const char *end;
    char rule[100];
    size_t rule_len;
    if (!read_block(&b, 4, out))
        return false;
    if (bytes[4] < '2') /* version 1 has nothing more */
        return true;
    if (!read_block(&b, 8, out) || b.left < 2 || *take(&b, 1) != '\n' ||
        !(end = memchr(b.at, '\n', b.left)) || (rule_len = (size_t)(end - (const char *)b.at)) >= sizeof rule)
        return false;
    memcpy(rule, b.at, rule_len);
    rule[rule_len] = '\0';
    return read_rule(rule, out);
}
