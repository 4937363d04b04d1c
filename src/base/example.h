/* SPDX-License-Identifier: Apache-2.0 */
/* Makes a text that matches a pattern. With rare features (back-references, look-arounds) it may not match;
 * if that matters, test it. */
#ifndef OLV_BASE_EXAMPLE_H
#define OLV_BASE_EXAMPLE_H

#include "olvido/calendar.h"
#include "olvido/text.h"

/* For a wildcard pattern; each star becomes `star`. */
void olv_glob_example(struct olv_text *out, const char *pattern, size_t len, const char *star);
/* For a regular expression: each part as often as it is required. */
void olv_regex_example(struct olv_text *out, const char *pattern, size_t len);
/* For a date pattern (base/name_date.h). */
void olv_name_date_example(struct olv_text *out, const char *pattern, struct olv_date date);

#endif
