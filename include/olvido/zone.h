/* SPDX-License-Identifier: Apache-2.0 */
/* Time zones: what a date, a calendar month or a calendar year means somewhere. NULL stands for UTC
 * throughout. */
#ifndef OLVIDO_ZONE_H
#define OLVIDO_ZONE_H

#include "olvido/calendar.h"

struct olv_zone; /* read-only once loaded, so threads may share it */

bool olv_zone_is_utc(const char *name);
/* Loads a zone of the IANA time zone database, such as Atlantic/Azores. NULL if this machine does not know
 * it, or without memory. */
struct olv_zone *olv_zone_load(const char *name);
void olv_zone_free(struct olv_zone *zone);

struct olv_date olv_zone_date(const struct olv_zone *zone, int64_t s);
int64_t olv_zone_seconds(const struct olv_zone *zone, struct olv_date date);
/* Like olv_instant_add, with months of this zone. Days stay 86,400 seconds. */
bool olv_zone_add(const struct olv_zone *zone, struct olv_instant t, struct olv_duration d,
                  struct olv_instant *out);
/* Like olv_instant_cutoff. When clocks are put back an hour repeats, and the answer is one of the two; for a
 * single instant olv_zone_add is exact. */
struct olv_instant olv_zone_cutoff(const struct olv_zone *zone, struct olv_instant now,
                                   struct olv_duration d);

enum olv_period { OLV_PERIOD_NONE = 0, OLV_PERIOD_MONTH, OLV_PERIOD_YEAR };
/* The first instant after the calendar month or year of `t`. */
struct olv_instant olv_zone_end(const struct olv_zone *zone, struct olv_instant t, enum olv_period period);

#endif
