/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a duration, an instant, a size, a pattern of a date with a name, a wildcard with a name, a
 * pattern with a path: the first byte says which, and a zero byte parts pattern and name. */
#include "base/glob.h"
#include "base/name_date.h"
#include "fuzz.h"
#include "olvido/calendar.h"
#include "olvido/pattern.h"
#include "olvido/quantity.h"

#include <string.h>

static void duration(const char *text, size_t len)
{
    struct olv_instant now = {1800000000, 0}, later, before;
    struct olv_duration d;
    size_t at = 0;
    if (!olv_duration_parse(text, len, &d, &at)) {
        must(at <= len);
        return;
    }
    if (olv_instant_add(now, d, &later))
        must(olv_instant_compare(later, now) >= 0);
    before = olv_instant_cutoff(now, d);
    must(olv_instant_compare(before, now) <= 0);
    must(olv_duration_compare(d, d) == 0);
}

/* What can be read can be written, and means the same. */
static void instant(const char *text, size_t len)
{
    char again[OLV_RFC3339_SIZE];
    struct olv_instant t, same;
    size_t at = 0;
    if (!olv_instant_parse(text, len, &t, &at)) {
        must(at <= len);
        return;
    }
    olv_instant_format(t, again);
    must(olv_instant_parse(again, strlen(again), &same, &at));
    must(olv_instant_compare(t, same) == 0);
}

static void size_of(const char *text, size_t len)
{
    char shown[OLV_SIZE_TEXT];
    uint64_t bytes;
    size_t at = 0;
    if (olv_size_parse(text, len, &bytes, &at))
        must(strlen(olv_size_format(bytes, shown)) < OLV_SIZE_TEXT);
    else
        must(at <= len);
}

static void date_in_name(const char *pattern, const char *name, size_t len)
{
    struct olv_date date;
    size_t at = 0;
    if (!olv_name_date_is_pattern(pattern, &at)) {
        must(at <= strlen(pattern));
    } else if (olv_name_date_read(pattern, name, len, &date)) {
        must(date.month >= 1 && date.month <= 12);
        must(date.day >= 1 && date.day <= 31);
    }
}

/* What is quoted fits itself alone. */
static void quoted(const char *name, size_t len)
{
    struct olv_error err = {0};
    struct olv_text text = {0};
    struct olv_pattern *pattern;
    olv_pattern_quote(&text, name, len);
    pattern = olv_pattern_new(olv_text_string(&text), text.len, &err);
    must(pattern || err.code == OLV_USAGE); /* it may be too long */
    must(!pattern || (olv_pattern_fits(pattern, name, len) && olv_pattern_only(pattern)));
    olv_pattern_free(pattern);
    olv_text_free(&text);
}

/* Where something fits, each of its beginnings leads to it, and it begins as everything does that fits. */
static void pattern_of(const char *text, size_t text_len, const char *name, size_t len)
{
    struct olv_error err = {0};
    struct olv_pattern *pattern = olv_pattern_new(text, text_len, &err);
    bool fits = pattern && olv_pattern_fits(pattern, name, len);
    must(pattern || (err.code == OLV_USAGE && *err.what));
    must(!fits || olv_pattern_fits_above(pattern, name, len));
    must(!fits || strncmp(name, olv_pattern_begins(pattern), strlen(olv_pattern_begins(pattern))) == 0);
    for (size_t i = 0; fits && i <= len && i < 200; i++)
        must(olv_pattern_leads(pattern, name, i));
    olv_pattern_free(pattern);
    if (memchr(name, '\0', len) == NULL)
        quoted(name, len);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char *text = malloc(size + 1), *name;
    size_t len = size ? size - 1 : 0, pattern_len;
    if (size)
        memcpy(text, data + 1, len);
    text[len] = '\0';
    pattern_len = strlen(text);
    name = pattern_len < len ? text + pattern_len + 1 : text + len;
    switch (size ? data[0] % 6 : 0) {
    case 0:
        duration(text, len);
        break;
    case 1:
        instant(text, len);
        break;
    case 2:
        size_of(text, len);
        break;
    case 3:
        date_in_name(text, name, (size_t)(text + len - name));
        break;
    case 5:
        pattern_of(text, pattern_len, name, (size_t)(text + len - name));
        break;
    default:
        olv_glob_match(text, pattern_len, name, (size_t)(text + len - name), size % 2 == 0);
        break;
    }
    free(text);
    return 0;
}
