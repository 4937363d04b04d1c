/* SPDX-License-Identifier: Apache-2.0 */
/* Instants, calendar dates and durations. Dates are those of the proleptic Gregorian calendar in UTC, written
 * as in RFC 3339; durations are words ("1 year 6 months") or ISO 8601-1 section 5.5.2 ("P1Y6M"). */
#ifndef OLVIDO_CALENDAR_H
#define OLVIDO_CALENDAR_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct olv_instant {
    int64_t s;   /* seconds since 1970-01-01T00:00:00Z, without leap seconds */
    uint32_t ns; /* 0 to 999,999,999 */
};

struct olv_duration {
    int64_t months;  /* calendar months; a year is twelve */
    int64_t seconds; /* a day is 86,400 */
};

struct olv_date {
    int64_t year;
    int month, day, hour, minute, second; /* month and day count from 1 */
};

/* Negative, zero or positive, like strcmp. */
int olv_instant_compare(struct olv_instant a, struct olv_instant b);
struct olv_date olv_date_from_seconds(int64_t s);
int64_t olv_date_to_seconds(struct olv_date date);
/* Adds months first (31 January + 1 month = the last day of February), then seconds. False on overflow. */
bool olv_instant_add(struct olv_instant t, struct olv_duration d, struct olv_instant *out);
/* The latest instant that is at least `d` before `now`; everything up to it is at least `d` old. */
struct olv_instant olv_instant_cutoff(struct olv_instant now, struct olv_duration d);
/* Orders durations by what they add to 2000-01-01. */
int olv_duration_compare(struct olv_duration a, struct olv_duration b);

/* Both parse all `len` bytes. On failure: false, and `*at` is the offset of the first byte that does not fit.
 */
bool olv_duration_parse(const char *text, size_t len, struct olv_duration *out, size_t *at);
bool olv_instant_parse(const char *text, size_t len, struct olv_instant *out, size_t *at);

enum { OLV_AGE_SIZE = 40 };
/* The time between the two, in the two largest calendar units (in UTC): "3 years 2 months", "5 minutes".
 * Returns `buffer`. */
char *olv_age_format(struct olv_instant from, struct olv_instant to, char buffer[OLV_AGE_SIZE]);

enum { OLV_RFC3339_SIZE = 40 };
/* "2026-10-03T14:05:00.123456789Z"; returns `buffer`. */
char *olv_instant_format(struct olv_instant t, char buffer[OLV_RFC3339_SIZE]);

#endif
