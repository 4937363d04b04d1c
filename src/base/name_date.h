/* SPDX-License-Identifier: Apache-2.0 */
/* Dates in names: "gauge-20260131.csv" through the pattern "%Y%m%d". */
#ifndef OLV_BASE_NAME_DATE_H
#define OLV_BASE_NAME_DATE_H

#include "olvido/calendar.h"

#include <stddef.h>

/* Whether it is a pattern: %Y (four digits, required), %m %d %H %M %S (two digits each), %% and text that
 * stands for itself. If not, `*at` is where it goes wrong. */
bool olv_name_date_is_pattern(const char *pattern, size_t *at);
/* The first place in the name that the pattern fits, with no digit right before or behind it, and that is a
 * day of the calendar. What the pattern leaves out is the first (of January, of the month, of the day). */
bool olv_name_date_read(const char *pattern, const char *name, size_t len, struct olv_date *out);

#endif
