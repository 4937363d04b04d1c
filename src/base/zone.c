/* SPDX-License-Identifier: Apache-2.0 */
/* A time zone as a table of its changes, read once out of the C library, which knows the rules (IANA time
 * zone database). From then on nothing global is touched, so threads and zones do not get in each other's
 * way. */
#include "olvido/zone.h"
#include "base/grow.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { DAY = 86400, PROBE = 3 * DAY };
/* 1900-01-01 and 2200-01-01: before and after them the first and the last offset hold. */
static const int64_t FIRST = -2208988800, LAST = 7258118400;

struct change {
    int64_t from; /* seconds since 1970-01-01T00:00:00Z */
    int32_t offset_s;
};

struct olv_zone {
    struct change *changes; /* ascending */
    size_t count;
};

/* ---- reading it out of the C library ---- */

static int32_t library_offset(int64_t s)
{
    time_t time = (time_t)s;
    struct tm tm;
    if (!localtime_r(&time, &tm))
        return 0;
    return (int32_t)(olv_date_to_seconds((struct olv_date){tm.tm_year + 1900, tm.tm_mon + 1, tm.tm_mday,
                                                           tm.tm_hour, tm.tm_min, tm.tm_sec}) -
                     s);
}

static bool add_change(struct olv_zone *zone, int64_t from, int32_t offset_s)
{
    if (!grow_by_one(&zone->changes, zone->count, sizeof *zone->changes))
        return false;
    zone->changes[zone->count++] = (struct change){from, offset_s};
    return true;
}

/* The first second after `low` that has the offset of `high`. */
static int64_t find_change(int64_t low, int64_t high)
{
    int32_t before = library_offset(low);
    while (high - low > 1) {
        int64_t middle = low + (high - low) / 2;
        if (library_offset(middle) == before)
            low = middle;
        else
            high = middle;
    }
    return high;
}

static bool probe(struct olv_zone *zone)
{
    int32_t last = library_offset(FIRST);
    if (!add_change(zone, INT64_MIN, last))
        return false;
    for (int64_t s = FIRST + PROBE; s < LAST; s += PROBE) {
        int32_t here = library_offset(s);
        if (here != last && !add_change(zone, find_change(s - PROBE, s), here))
            return false;
        last = here;
    }
    return true;
}

/* The C library takes an unknown name for UTC, so its file is looked at first (RFC 9636, section 3.1). */
static bool is_known(const char *name)
{
    static const char *const places[] = {"/usr/share/zoneinfo", "/usr/lib/zoneinfo",
                                         "/usr/share/lib/zoneinfo"};
    char path[256], magic[4] = "";
    bool is_zone = false;
    if (name[0] == '/' || strstr(name, "..") || strlen(name) > 100)
        return false;
    for (size_t i = 0; !is_zone && i < sizeof places / sizeof *places; i++) {
        FILE *file;
        snprintf(path, sizeof path, "%s/%s", places[i], name);
        file = fopen(path, "rb");
        is_zone = file && fread(magic, sizeof magic, 1, file) == 1 && memcmp(magic, "TZif", 4) == 0;
        if (file)
            fclose(file);
    }
    return is_zone;
}

bool olv_zone_is_utc(const char *name)
{
    return strcmp(name, "UTC") == 0 || strcmp(name, "Etc/UTC") == 0;
}

struct olv_zone *olv_zone_load(const char *name)
{
    const char *old = getenv("TZ");
    char *kept = old ? strdup(old) : NULL;
    struct olv_zone *zone = is_known(name) && (kept || !old) ? calloc(1, sizeof *zone) : NULL;
    if (zone) {
        setenv("TZ", name, 1);
        tzset();
        if (!probe(zone)) {
            olv_zone_free(zone);
            zone = NULL;
        }
        if (kept)
            setenv("TZ", kept, 1);
        else
            unsetenv("TZ");
        tzset();
    }
    free(kept);
    return zone;
}

void olv_zone_free(struct olv_zone *zone)
{
    if (!zone)
        return;
    free(zone->changes);
    free(zone);
}

/* ---- using it ---- */

static int32_t offset_at(const struct olv_zone *zone, int64_t s)
{
    size_t low = 0, high = zone->count;
    while (high - low > 1) {
        size_t middle = low + (high - low) / 2;
        if (zone->changes[middle].from <= s)
            low = middle;
        else
            high = middle;
    }
    return zone->changes[low].offset_s;
}

struct olv_date olv_zone_date(const struct olv_zone *zone, int64_t s)
{
    return olv_date_from_seconds(zone ? s + offset_at(zone, s) : s);
}

/* A time that comes twice means the first one, one that is skipped the same distance behind the skip (RFC
 * 5545, section 3.3.5). */
int64_t olv_zone_seconds(const struct olv_zone *zone, struct olv_date date)
{
    int64_t local = olv_date_to_seconds(date);
    int32_t before, after;
    if (!zone)
        return local;
    before = offset_at(zone, local - DAY);
    after = offset_at(zone, local + DAY);
    if (offset_at(zone, local - before) == before || offset_at(zone, local - after) != after)
        return local - before;
    return local - after;
}

bool olv_zone_add(const struct olv_zone *zone, struct olv_instant t, struct olv_duration d,
                  struct olv_instant *out)
{
    struct olv_instant local;
    if (!zone || d.months == 0)
        return olv_instant_add(t, d, out);
    local = (struct olv_instant){t.s + offset_at(zone, t.s), t.ns};
    if (!olv_instant_add(local, (struct olv_duration){d.months, 0}, &local))
        return false;
    local.s = olv_zone_seconds(zone, olv_date_from_seconds(local.s));
    return olv_instant_add(local, (struct olv_duration){0, d.seconds}, out);
}

struct olv_instant olv_zone_cutoff(const struct olv_zone *zone, struct olv_instant now, struct olv_duration d)
{
    struct olv_instant guess = olv_instant_cutoff(now, d), sum;
    int64_t low = guess.s - 2 * DAY, high = guess.s + 2 * DAY; /* old enough, too young */
    if (!zone || d.months == 0 || guess.s == INT64_MIN)
        return guess;
    while (high - low > 1) {
        int64_t middle = low + (high - low) / 2;
        if (olv_zone_add(zone, (struct olv_instant){middle, now.ns}, d, &sum) && sum.s <= now.s)
            low = middle;
        else
            high = middle;
    }
    return (struct olv_instant){low, now.ns};
}

struct olv_instant olv_zone_end(const struct olv_zone *zone, struct olv_instant t, enum olv_period period)
{
    struct olv_date date = olv_zone_date(zone, t.s);
    bool is_year = period == OLV_PERIOD_YEAR || date.month == 12;
    struct olv_date next = {
        .year = date.year + (is_year ? 1 : 0), .month = is_year ? 1 : date.month + 1, .day = 1};
    return (struct olv_instant){olv_zone_seconds(zone, next), 0};
}
