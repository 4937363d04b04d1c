/* SPDX-License-Identifier: Apache-2.0 */
/* The other way round: from a pattern to a text that fits it. For what is rare in patterns (backward
 * references, looking around) the text may not fit; whoever needs to know asks the pattern. */
#ifndef OLV_BASE_EXAMPLE_H
#define OLV_BASE_EXAMPLE_H

#include "olvido/calendar.h"
#include "olvido/text.h"

/* Of a wildcard pattern; each star becomes `star`. */
void olv_glob_example(struct olv_text *out, const char *pattern, size_t len, const char *star);
/* Of a regular expression: each part as often as it must be there. */
void olv_regex_example(struct olv_text *out, const char *pattern, size_t len);
/* Of a pattern of a date in a name (base/name_date.h). */
void olv_name_date_example(struct olv_text *out, const char *pattern, struct olv_date date);

#endif
