/* SPDX-License-Identifier: Apache-2.0 */
/* A time zone is a table of its changes, read once from the system's time zone database. */
#include "olvido/zone.h"

#include "base/zone_file.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { DAY = 86400, LARGEST_FILE = 1 << 18 };

struct olv_zone {
    struct zone_changes changes;
};

static FILE *open_file(const char *name)
{
    static const char *const places[] = {"/usr/share/zoneinfo", "/usr/lib/zoneinfo",
                                         "/usr/share/lib/zoneinfo"};
    char path[256];
    FILE *file = NULL;
    if (name[0] == '/' || strstr(name, "..") || strlen(name) > 100)
        return NULL;
    for (size_t i = 0; !file && i < sizeof places / sizeof *places; i++) {
        snprintf(path, sizeof path, "%s/%s", places[i], name);
        file = fopen(path, "rb");
    }
    return file;
}

bool olv_zone_is_utc(const char *name)
{
    return strcmp(name, "UTC") == 0 || strcmp(name, "Etc/UTC") == 0;
}

struct olv_zone *olv_zone_load(const char *name)
{
    FILE *file = open_file(name);
    struct olv_zone *zone;
    uint8_t *bytes;
    bool ok = false;
    if (!file)
        return NULL;
    zone = calloc(1, sizeof *zone);
    bytes = malloc(LARGEST_FILE);
    if (zone && bytes)
        ok = zone_file_read(bytes, fread(bytes, 1, LARGEST_FILE, file), &zone->changes);
    free(bytes);
    fclose(file);
    if (ok)
        return zone;
    olv_zone_free(zone);
    return NULL;
}

void olv_zone_free(struct olv_zone *zone)
{
    if (!zone)
        return;
    free(zone->changes.items);
    free(zone);
}

/* ---- using it ---- */

static int32_t offset_at(const struct olv_zone *zone, int64_t s)
{
    size_t low = 0, high = zone->changes.count;
    while (high - low > 1) {
        size_t middle = low + (high - low) / 2;
        if (zone->changes.items[middle].from <= s)
            low = middle;
        else
            high = middle;
    }
    return zone->changes.items[low].offset_s;
}

struct olv_date olv_zone_date(const struct olv_zone *zone, int64_t s)
{
    return olv_date_from_seconds(zone ? s + offset_at(zone, s) : s);
}

/* A local time that occurs twice means the first; one that is skipped counts from before the skip (RFC 5545,
 * section 3.3.5). */
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
