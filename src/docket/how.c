/* SPDX-License-Identifier: Apache-2.0 */
/* Words with blanks between them, so that a person can read them in a segment. */
#include "olvido/docket.h"

#include "base/digest.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static void put_digest(const char *key, const uint8_t digest[OLV_SHA256_SIZE], struct olv_text *out)
{
    char hex[OLV_HEX_SIZE];
    olv_hex(digest, OLV_SHA256_SIZE, hex);
    olv_text_printf(out, "%s=%s ", key, hex);
}

void olv_how_put(const struct olv_how *how, struct olv_text *out)
{
    if (how->codec != OLV_CODEC_NONE)
        olv_text_printf(out, "as=%s ", olv_codec_word(how->codec));
    if (how->level)
        olv_text_printf(out, "level=%d ", how->level);
    if (how->most_bytes)
        olv_text_printf(out, "most=%llu ", (unsigned long long)how->most_bytes);
    if (how->is_member)
        olv_text_printf(out, "begins=%llu within=%llu ", (unsigned long long)how->begins,
                        (unsigned long long)how->within);
    if (how->has_archive) {
        char hex[2 * sizeof how->archive + 1];
        olv_hex(how->archive, sizeof how->archive, hex);
        olv_text_printf(out, "archive=%s ", hex);
    }
    if (*how->member)
        olv_text_printf(out, "member=%s ", how->member);
    if (how->has_modified)
        olv_text_printf(out, "modified=%lld.%09u ", (long long)how->modified.s, how->modified.ns);
    if (how->has_digest)
        put_digest("digest", how->digest, out);
    if (how->has_header)
        put_digest("header", how->header, out);
    if (how->keeps)
        olv_text_puts(out, "keep ");
    if (how->clock != OLV_CLOCK_MODIFIED)
        olv_text_printf(out, "clock=%s ", olv_clock_word(how->clock));
    if (*how->depot)
        olv_text_printf(out, "depot=%s ", how->depot);
    if (how->into && *how->into) {
        olv_text_printf(out, "into=%s", how->into);
        return; /* the last one: it may have blanks in it */
    }
    if (out->len && !out->failed && out->data[out->len - 1] == ' ')
        out->data[--out->len] = '\0';
}

static bool is_word(const char *word, size_t len, const char *expected)
{
    return strlen(expected) == len && memcmp(word, expected, len) == 0;
}

static bool get_codec(const char *value, size_t len, struct olv_how *how)
{
    how->codec = olv_codec_of_word(value, len);
    return how->codec != OLV_CODEC_COUNT;
}

static bool get_clock(const char *value, size_t len, enum olv_clock *out)
{
    for (int clock = 0; clock < OLV_CLOCK_COUNT; clock++)
        if (is_word(value, len, olv_clock_word((enum olv_clock)clock))) {
            *out = (enum olv_clock)clock;
            return true;
        }
    return false;
}

static bool get_number(const char *value, size_t len, uint64_t *out)
{
    char *end;
    if (len == 0 || value[0] < '0' || value[0] > '9')
        return false;
    *out = strtoull(value, &end, 10);
    return end == value + len;
}

static bool get_modified(const char *value, size_t len, struct olv_instant *out)
{
    enum { DIGITS = 9 };
    char text[40], *end;
    if (len < DIGITS + 2 || len >= sizeof text || value[len - DIGITS - 1] != '.')
        return false;
    memcpy(text, value, len);
    text[len] = '\0';
    out->s = strtoll(text, &end, 10);
    if (end != text + len - DIGITS - 1)
        return false;
    out->ns = (uint32_t)strtoul(end + 1, &end, 10);
    return *end == '\0';
}

static bool get_word(const char *word, size_t len, struct olv_how *how)
{
    const char *equals = memchr(word, '=', len), *value = equals ? equals + 1 : word + len;
    size_t key = equals ? (size_t)(equals - word) : len, rest = len - (size_t)(value - word);
    uint64_t number = 0;
    if (is_word(word, key, "as"))
        return get_codec(value, rest, how);
    if (is_word(word, key, "level")) {
        how->level = get_number(value, rest, &number) && number < 100 ? (int)number : -1;
        return how->level >= 0;
    }
    if (is_word(word, key, "most"))
        return get_number(value, rest, &how->most_bytes);
    if (is_word(word, key, "begins"))
        return how->is_member = get_number(value, rest, &how->begins);
    if (is_word(word, key, "modified"))
        return how->has_modified = get_modified(value, rest, &how->modified);
    if (is_word(word, key, "digest"))
        return how->has_digest = rest == 2 * OLV_SHA256_SIZE && olv_unhex(value, rest, how->digest);
    if (is_word(word, key, "header"))
        return how->has_header = rest == 2 * OLV_SHA256_SIZE && olv_unhex(value, rest, how->header);
    if (is_word(word, key, "archive"))
        return how->has_archive = rest == 2 * sizeof how->archive && olv_unhex(value, rest, how->archive);
    if (is_word(word, key, "member")) {
        snprintf(how->member, sizeof how->member, "%.*s", (int)(rest < 65 ? rest : 65), value);
        return rest == 64;
    }
    if (is_word(word, key, "clock"))
        return get_clock(value, rest, &how->clock);
    if (is_word(word, key, "within"))
        return get_number(value, rest, &how->within);
    if (is_word(word, key, "depot")) {
        snprintf(how->depot, sizeof how->depot, "%.*s", (int)rest, value);
        return rest > 0 && rest < sizeof how->depot;
    }
    how->keeps = true;
    return is_word(word, len, "keep");
}

bool olv_how_get(const char *words, struct olv_how *how)
{
    *how = (struct olv_how){.into = ""};
    for (words += strspn(words, " "); *words; words += strspn(words, " ")) {
        size_t len = strcspn(words, " ");
        if (strncmp(words, "into=", 5) == 0) {
            how->into = words + 5;
            return how->into[0] == '/';
        }
        if (!get_word(words, len, how))
            return false;
        words += len;
    }
    return true;
}
