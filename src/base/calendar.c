/* SPDX-License-Identifier: Apache-2.0 */
/* Calendar arithmetic on 64-bit seconds. Keeping years within +-MAX_YEAR prevents overflow. */
#include "olvido/calendar.h"

#include <stdio.h>

enum { DAY = 86400, DAYS_PER_ERA = 146097, MAX_YEAR = 1000000 };

static const int64_t MAX_SECONDS = (int64_t)MAX_YEAR * 366 * DAY;

static int64_t floor_div(int64_t a, int64_t b)
{
    return a / b - (a % b < 0);
}

int olv_instant_compare(struct olv_instant a, struct olv_instant b)
{
    if (a.s != b.s)
        return a.s < b.s ? -1 : 1;
    return a.ns < b.ns ? -1 : a.ns > b.ns;
}

static bool is_leap(int64_t year)
{
    return (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
}

static int days_in_month(int64_t year, int month)
{
    static const int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    return month == 2 && is_leap(year) ? 29 : days[month - 1];
}

/* Days since 1970-01-01. Years start in March here, so that the leap day is the last day of its year. */
static int64_t days_from_date(int64_t year, int month, int day)
{
    int64_t y = month <= 2 ? year - 1 : year;
    int64_t era = floor_div(y, 400), yoe = y - era * 400;
    int64_t doy = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
    return era * DAYS_PER_ERA + yoe * 365 + yoe / 4 - yoe / 100 + doy - 719468;
}

struct olv_date olv_date_from_seconds(int64_t s)
{
    int64_t day = floor_div(s, DAY), rest = s - day * DAY, z = day + 719468;
    int64_t era = floor_div(z, DAYS_PER_ERA), doe = z - era * DAYS_PER_ERA;
    int64_t yoe = (doe - doe / 1460 + doe / 36524 - doe / 146096) / 365;
    int64_t doy = doe - (365 * yoe + yoe / 4 - yoe / 100), mp = (5 * doy + 2) / 153;
    struct olv_date date = {.day = (int)(doy - (153 * mp + 2) / 5 + 1),
                            .month = (int)(mp < 10 ? mp + 3 : mp - 9)};
    date.year = yoe + era * 400 + (date.month <= 2);
    date.hour = (int)(rest / 3600);
    date.minute = (int)(rest / 60 % 60);
    date.second = (int)(rest % 60);
    return date;
}

int64_t olv_date_to_seconds(struct olv_date date)
{
    return days_from_date(date.year, date.month, date.day) * DAY + date.hour * 3600 + date.minute * 60 +
           date.second;
}

static bool add_months(int64_t s, int64_t months, int64_t *out)
{
    struct olv_date date = olv_date_from_seconds(s);
    int64_t month = date.year * 12 + date.month - 1 + months;
    int last;
    date.year = floor_div(month, 12);
    date.month = (int)(month - date.year * 12) + 1;
    if (date.year > MAX_YEAR || date.year < -MAX_YEAR)
        return false;
    last = days_in_month(date.year, date.month);
    if (date.day > last)
        date.day = last;
    *out = olv_date_to_seconds(date);
    return true;
}

bool olv_instant_add(struct olv_instant t, struct olv_duration d, struct olv_instant *out)
{
    if (t.s > MAX_SECONDS || t.s < -MAX_SECONDS || d.seconds > MAX_SECONDS || d.seconds < -MAX_SECONDS)
        return false;
    if (d.months > 12 * MAX_YEAR || d.months < -12 * MAX_YEAR)
        return false;
    *out = t;
    if (d.months && !add_months(t.s, d.months, &out->s))
        return false;
    out->s += d.seconds;
    return true;
}

struct olv_instant olv_instant_cutoff(struct olv_instant now, struct olv_duration d)
{
    enum { SLACK = 5 * DAY }; /* clamping to the end of a month moves a date by at most three days */
    struct olv_duration back = {-d.months, -d.seconds};
    struct olv_instant guess = now, sum;
    int64_t low, high;
    if (!olv_instant_add((struct olv_instant){now.s - d.seconds, now.ns},
                         (struct olv_duration){back.months, 0}, &guess))
        return (struct olv_instant){INT64_MIN, 0};
    low = guess.s - SLACK;  /* old enough */
    high = guess.s + SLACK; /* too young */
    while (high - low > 1) {
        int64_t middle = low + (high - low) / 2;
        if (!olv_instant_add((struct olv_instant){middle, now.ns}, d, &sum))
            return (struct olv_instant){INT64_MIN, 0};
        if (sum.s <= now.s)
            low = middle;
        else
            high = middle;
    }
    return (struct olv_instant){low, now.ns};
}

int olv_duration_compare(struct olv_duration a, struct olv_duration b)
{
    struct olv_instant start = {946684800, 0}, x = start, y = start;
    olv_instant_add(start, a, &x);
    olv_instant_add(start, b, &y);
    return olv_instant_compare(x, y);
}

/* The whole months between the two. */
static int64_t months_between(struct olv_instant from, struct olv_instant to)
{
    struct olv_date a = olv_date_from_seconds(from.s), b = olv_date_from_seconds(to.s);
    int64_t months = (b.year - a.year) * 12 + b.month - a.month;
    struct olv_instant then = to;
    if (months > 0 && olv_instant_add(from, (struct olv_duration){months, 0}, &then) && then.s > to.s)
        months--;
    return months > 0 ? months : 0;
}

char *olv_age_format(struct olv_instant from, struct olv_instant to, char buffer[OLV_AGE_SIZE])
{
    static const char *const names[] = {"year", "month", "day", "hour", "minute", "second"};
    int64_t months = months_between(from, to), counts[6] = {months / 12, months % 12}, rest;
    struct olv_instant then = from;
    size_t first = 0, used = 0;
    olv_instant_add(from, (struct olv_duration){months, 0}, &then);
    rest = to.s > then.s ? to.s - then.s : 0;
    counts[2] = rest / DAY;
    counts[3] = rest / 3600 % 24;
    counts[4] = rest / 60 % 60;
    counts[5] = rest % 60;
    while (first < 5 && counts[first] == 0)
        first++;
    snprintf(buffer, OLV_AGE_SIZE, "0 seconds");
    for (size_t i = first; i < 6 && i < first + 2; i++)
        if (counts[i])
            used += (size_t)snprintf(buffer + used, OLV_AGE_SIZE - used, "%s%lld %s%s", used ? " " : "",
                                     (long long)counts[i], names[i], counts[i] == 1 ? "" : "s");
    return buffer;
}

/* Writes this many digits, and the character after them. */
static char *put_digits(char *at, unsigned value, int digits, char after)
{
    for (int i = digits - 1; i >= 0; i--, value /= 10)
        at[i] = (char)('0' + value % 10);
    at[digits] = after;
    return at + digits + 1;
}

char *olv_instant_format(struct olv_instant t, char buffer[OLV_RFC3339_SIZE])
{
    struct olv_date d = olv_date_from_seconds(t.s);
    char *at = buffer;
    if (d.year < 0 || d.year > 9999) { /* outside RFC 3339: a broken clock, but it must not overflow */
        snprintf(buffer, OLV_RFC3339_SIZE, "%.20lld", (long long)t.s);
        return buffer;
    }
    at = put_digits(at, (unsigned)d.year, 4, '-');
    at = put_digits(at, (unsigned)d.month, 2, '-');
    at = put_digits(at, (unsigned)d.day, 2, 'T');
    at = put_digits(at, (unsigned)d.hour, 2, ':');
    at = put_digits(at, (unsigned)d.minute, 2, ':');
    at = put_digits(at, (unsigned)d.second, 2, '.');
    at = put_digits(at, (unsigned)t.ns, 9, 'Z');
    *at = '\0';
    return buffer;
}

/* ---- reading
 * ---------------------------------------------------------------------------------------------------- */

struct cursor {
    const char *text;
    size_t len, at;
};

static int peek(const struct cursor *c)
{
    return c->at < c->len ? (unsigned char)c->text[c->at] : -1;
}

static bool calendar_take(struct cursor *c, char byte)
{
    if (peek(c) != (unsigned char)byte)
        return false;
    c->at++;
    return true;
}

static bool calendar_is_digit(int byte)
{
    return byte >= '0' && byte <= '9';
}

/* Exactly `digits` digits, between `low` and `high`. */
static bool take_fixed(struct cursor *c, int digits, int low, int high, int *out)
{
    size_t start = c->at;
    int value = 0;
    for (int i = 0; i < digits; i++, c->at++) {
        if (!calendar_is_digit(peek(c)))
            return false;
        value = value * 10 + (peek(c) - '0');
    }
    *out = value;
    if (value >= low && value <= high)
        return true;
    c->at = start;
    return false;
}

static bool take_fraction(struct cursor *c, uint32_t *ns)
{
    uint32_t scale = 100000000;
    if (!calendar_take(c, '.'))
        return true;
    if (!calendar_is_digit(peek(c)))
        return false;
    for (; calendar_is_digit(peek(c)); c->at++, scale /= 10)
        *ns += (uint32_t)(peek(c) - '0') * scale;
    return true;
}

static bool take_offset(struct cursor *c, int64_t *offset)
{
    int hours, minutes, sign = peek(c) == '-' ? -1 : 1;
    if (calendar_take(c, 'Z') || calendar_take(c, 'z'))
        return true;
    if (!calendar_take(c, '+') && !calendar_take(c, '-'))
        return false;
    if (!take_fixed(c, 2, 0, 23, &hours) || !calendar_take(c, ':') || !take_fixed(c, 2, 0, 59, &minutes))
        return false;
    *offset = sign * (hours * 3600 + minutes * 60);
    return true;
}

static bool take_day(struct cursor *c, struct olv_date *date)
{
    int year;
    if (!take_fixed(c, 4, 0, 9999, &year) || !calendar_take(c, '-') ||
        !take_fixed(c, 2, 1, 12, &date->month) || !calendar_take(c, '-'))
        return false;
    date->year = year;
    return take_fixed(c, 2, 1, days_in_month(year, date->month), &date->day);
}

static bool take_time(struct cursor *c, struct olv_date *date)
{
    return take_fixed(c, 2, 0, 23, &date->hour) && calendar_take(c, ':') &&
           take_fixed(c, 2, 0, 59, &date->minute) && calendar_take(c, ':') &&
           take_fixed(c, 2, 0, 59, &date->second);
}

bool olv_instant_parse(const char *text, size_t len, struct olv_instant *out, size_t *at)
{
    struct cursor c = {text, len, 0};
    struct olv_date date = {0};
    int64_t offset = 0;
    uint32_t ns = 0;
    bool ok = take_day(&c, &date);
    if (ok && c.at < len) {
        ok = calendar_take(&c, 'T') || calendar_take(&c, 't') || calendar_take(&c, ' ');
        ok = ok && take_time(&c, &date) && take_fraction(&c, &ns) && take_offset(&c, &offset);
    }
    *at = c.at;
    if (!ok || c.at != len)
        return false;
    *out = (struct olv_instant){olv_date_to_seconds(date) - offset, ns};
    return true;
}

static bool take_number(struct cursor *c, int64_t *out)
{
    int64_t value = 0;
    if (!calendar_is_digit(peek(c)))
        return false;
    for (; calendar_is_digit(peek(c)); c->at++) {
        if (value > INT32_MAX)
            return false;
        value = value * 10 + (peek(c) - '0');
    }
    *out = value;
    return true;
}

static bool calendar_add_part(struct olv_duration *d, int64_t count, int64_t months, int64_t seconds)
{
    if (count * months > 12 * 10000 || (seconds && count > MAX_SECONDS / 100 / seconds))
        return false;
    d->months += count * months;
    d->seconds += count * seconds;
    return d->months <= 12 * 10000 && d->seconds <= MAX_SECONDS / 100;
}

static const struct unit {
    const char *word; /* the plural adds an s */
    int months, seconds;
} units[] = {
    {"second", 0, 1},     {"minute", 0, 60}, {"hour", 0, 3600}, {"day", 0, DAY},
    {"week", 0, 7 * DAY}, {"month", 1, 0},   {"year", 12, 0},
};

static const struct unit *take_unit(struct cursor *c)
{
    size_t start = c->at, n, i;
    while (peek(c) >= 'a' && peek(c) <= 'z')
        c->at++;
    n = c->at - start;
    for (i = 0; i < sizeof units / sizeof *units; i++) {
        const char *word = units[i].word;
        size_t w = 0;
        while (w < n && word[w] && word[w] == c->text[start + w])
            w++;
        if (!word[w] && (w == n || (w + 1 == n && c->text[start + w] == 's')))
            return &units[i];
    }
    c->at = start;
    return NULL;
}

static bool parse_words(struct cursor *c, struct olv_duration *d)
{
    do {
        const struct unit *unit;
        size_t start;
        int64_t count;
        while (calendar_take(c, ' '))
            ;
        start = c->at;
        if (!take_number(c, &count))
            return false;
        while (calendar_take(c, ' '))
            ;
        unit = take_unit(c);
        if (!unit)
            return false;
        if (!calendar_add_part(d, count, unit->months, unit->seconds)) {
            c->at = start;
            return false;
        }
    } while (peek(c) == ' ');
    return true;
}

/* P [nY] [nM] [nW] [nD] [T [nH] [nM] [nS]], in this order, at least one part. */
static bool parse_iso(struct cursor *c, struct olv_duration *d)
{
    static const struct {
        char letter;
        int months, seconds;
    } parts[] = {{'Y', 12, 0},   {'M', 1, 0},  {'W', 0, 7 * DAY}, {'D', 0, DAY},
                 {'H', 0, 3600}, {'M', 0, 60}, {'S', 0, 1}};
    size_t next = 0, end = 4;
    bool any = false;
    while (c->at < c->len) {
        int64_t count;
        if (end == 4 && calendar_take(c, 'T')) {
            next = 4;
            end = 7;
        }
        if (!take_number(c, &count))
            return false;
        while (next < end && peek(c) != parts[next].letter)
            next++;
        if (next == end || !calendar_add_part(d, count, parts[next].months, parts[next].seconds))
            return false;
        c->at++;
        next++;
        any = true;
    }
    return any;
}

bool olv_duration_parse(const char *text, size_t len, struct olv_duration *out, size_t *at)
{
    struct cursor c = {text, len, 0};
    struct olv_duration d = {0, 0};
    bool ok = calendar_take(&c, 'P') ? parse_iso(&c, &d) : parse_words(&c, &d);
    *at = c.at;
    if (!ok || c.at != len)
        return false;
    *out = d;
    return true;
}
