/* SPDX-License-Identifier: Apache-2.0 */
/* Words with blanks between them, so that a person can read them in a segment. */
#include "olvido/docket.h"

#include <stdlib.h>
#include <string.h>

void olv_how_put(const struct olv_how *how, struct olv_text *out)
{
    if (how->codec != OLV_CODEC_NONE)
        olv_text_printf(out, "as=%s level=%d ", olv_codec_word(how->codec), how->level);
    if (how->most_bytes)
        olv_text_printf(out, "most=%llu ", (unsigned long long)how->most_bytes);
    if (how->keeps)
        olv_text_puts(out, "keep ");
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
    for (int c = OLV_CODEC_GZIP; c < OLV_CODEC_COUNT; c++)
        if (is_word(value, len, olv_codec_word((enum olv_codec)c))) {
            how->codec = (enum olv_codec)c;
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
