/* SPDX-License-Identifier: Apache-2.0 */
/* Dates in names: "gauge-20260131.csv" through the pattern "%Y%m%d". */
#ifndef OLV_BASE_NAME_DATE_H
#define OLV_BASE_NAME_DATE_H

#include "olvido/calendar.h"

#include <stddef.h>

/* Whether it is a pattern: %Y (four digits, required), %m %d %H %M %S (two digits each), %% and literal text.
 * If not, `*at` is where it goes wrong. */
bool olv_name_date_is_pattern(const char *pattern, size_t *at);
/* The first match of the pattern in the name that has no digit next to it and is a day of the calendar. Parts
 * that the pattern omits are the first (of January, of the month, of the day). */
bool olv_name_date_read(const char *pattern, const char *name, size_t len, struct olv_date *out);

#endif
