/* SPDX-License-Identifier: Apache-2.0 */
/* The types of keys: how each is read, spelled, stored, and described in the schema. */
#include "keys/types.h"

#include "olvido/calendar.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"

#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { SHOWN = 60, MOST_WORDS = 16 }; /* bytes of a wrong value */

static bool cannot_be(struct key_fault *fault, const char *text, size_t len, const char *expected)
{
    fault->is_value = true;
    snprintf(fault->what, sizeof fault->what, "cannot be `%.*s`", (int)(len > SHOWN ? SHOWN : len), text);
    snprintf(fault->expected, sizeof fault->expected, "%s", expected);
    return false;
}

/* ---- words ---- */

static bool read_word(const struct olv_key *key, const char *text, size_t len, void *member,
                      struct olv_arena *arena, struct key_fault *fault)
{
    const char *names[MOST_WORDS];
    size_t count = 0;
    (void)arena;
    for (const struct olv_word *w = key->words; w->word; w++)
        if (strlen(w->word) == len && memcmp(w->word, text, len) == 0) {
            *(int *)member = w->value;
            return true;
        }
    for (; count < MOST_WORDS && key->words[count].word; count++)
        names[count] = key->words[count].word;
    cannot_be(fault, text, len, "");
    olv_list_words(names, count, fault->expected, sizeof fault->expected);
    fault->nearest = olv_nearest(text, len, names, count);
    return false;
}

static const char *word_of(const struct olv_key *key, int value)
{
    for (const struct olv_word *w = key->words; w->word; w++)
        if (w->value == value)
            return w->word;
    return "";
}

static void spell_word(const struct olv_key *key, const void *member, struct olv_text *out)
{
    olv_text_puts(out, word_of(key, *(const int *)member));
}

static void put_word(const void *member, struct olv_text *out)
{
    wire_put(out, (uint64_t) * (const int *)member, 1);
}

static void get_word(const struct olv_key *key, struct wire *wire, void *member)
{
    int value = (int)wire_get(wire, 1);
    wire->is_broken |= value && !*word_of(key, value); /* 0: not said, where there is no default */
    *(int *)member = value;
}

static void word_schema(const struct olv_key *key, struct olv_text *out)
{
    olv_text_puts(out, "\"enum\": [");
    for (const struct olv_word *w = key->words; w->word; w++)
        olv_text_printf(out, "%s\"%s\"", w == key->words ? "" : ", ", w->word);
    olv_text_puts(out, "]");
    if (key->usual)
        olv_text_printf(out, ", \"default\": \"%s\"", key->usual);
}

/* ---- numbers ---- */

static bool read_number(const struct olv_key *key, const char *text, size_t len, void *member,
                        struct olv_arena *arena, struct key_fault *fault)
{
    enum { MOST_DIGITS = 10 };
    char range[64];
    long long value = 0;
    (void)arena;
    for (size_t i = 0; i < len && len <= MOST_DIGITS; i++)
        value = text[i] >= '0' && text[i] <= '9' && value >= 0 ? value * 10 + (text[i] - '0') : -1;
    if (len == 0 || len > MOST_DIGITS || value < 0)
        return cannot_be(fault, text, len, "a whole number, such as 3");
    *(int *)member = (int)value;
    if (value >= key->least && value <= key->most)
        return true;
    snprintf(range, sizeof range, "%d to %d", key->least, key->most);
    return cannot_be(fault, text, len, range);
}

static void spell_number(const struct olv_key *key, const void *member, struct olv_text *out)
{
    (void)key;
    olv_text_printf(out, "%d", *(const int *)member);
}

static void put_number(const void *member, struct olv_text *out)
{
    wire_put(out, (uint64_t) * (const int *)member, 4);
}

static void get_number(const struct olv_key *key, struct wire *wire, void *member)
{
    uint64_t value = wire_get(wire, 4);
    wire->is_broken |= value > INT_MAX || (int)value < key->least || (int)value > key->most;
    *(int *)member = wire->is_broken ? 0 : (int)value;
}

static void number_schema(const struct olv_key *key, struct olv_text *out)
{
    olv_text_printf(out, "\"type\": \"integer\", \"minimum\": %d, \"maximum\": %d", key->least, key->most);
    if (key->usual)
        olv_text_printf(out, ", \"default\": %s", key->usual);
}

/* ---- yes or no ---- */

static const struct olv_word truths[] = {{"no", 0}, {"false", 0}, {"yes", 1}, {"true", 1}, {0}};

static bool read_truth(const struct olv_key *key, const char *text, size_t len, void *member,
                       struct olv_arena *arena, struct key_fault *fault)
{
    const struct olv_key as_word = {.words = truths};
    int value = 0;
    (void)key;
    if (!read_word(&as_word, text, len, &value, arena, fault))
        return false;
    *(bool *)member = value != 0;
    return true;
}

static void spell_truth(const struct olv_key *key, const void *member, struct olv_text *out)
{
    (void)key;
    olv_text_puts(out, *(const bool *)member ? "yes" : "no");
}

static void put_truth(const void *member, struct olv_text *out)
{
    wire_put(out, *(const bool *)member, 1);
}

static void get_truth(const struct olv_key *key, struct wire *wire, void *member)
{
    uint64_t value = wire_get(wire, 1);
    (void)key;
    wire->is_broken |= value > 1;
    *(bool *)member = value == 1;
}

static void truth_schema(const struct olv_key *key, struct olv_text *out)
{
    olv_text_printf(out, "\"$ref\": \"#/$defs/truth\", \"default\": %s",
                    key->usual && strcmp(key->usual, "yes") == 0 ? "true" : "false");
}

/* ---- durations ---- */

static bool read_duration(const struct olv_key *key, const char *text, size_t len, void *member,
                          struct olv_arena *arena, struct key_fault *fault)
{
    size_t at;
    (void)key;
    (void)arena;
    return olv_duration_parse(text, len, member, &at) ||
           cannot_be(fault, text, len, "a duration, such as 90 days, 1 year 6 months or P90D");
}

/* Appends "2 days"; nothing for none. Returns what is left. */
static int64_t spell_unit(struct olv_text *out, int64_t amount, int64_t unit, const char *name)
{
    int64_t count = amount / unit;
    if (count)
        olv_text_printf(out, "%s%lld %s%s", out->len ? " " : "", (long long)count, name,
                        count == 1 ? "" : "s");
    return amount % unit;
}

static void spell_duration(const struct olv_key *key, const void *member, struct olv_text *out)
{
    const struct olv_duration *d = member;
    struct olv_text own = {0};
    (void)key;
    spell_unit(&own, spell_unit(&own, d->months, 12, "year"), 1, "month");
    spell_unit(&own,
               spell_unit(&own, spell_unit(&own, spell_unit(&own, d->seconds, 86400, "day"), 3600, "hour"),
                          60, "minute"),
               1, "second");
    olv_text_puts(out, own.len ? olv_text_string(&own) : "0 seconds");
    out->failed |= own.failed;
    olv_text_free(&own);
}

static void put_duration(const void *member, struct olv_text *out)
{
    const struct olv_duration *d = member;
    wire_put(out, (uint64_t)d->months, 8);
    wire_put(out, (uint64_t)d->seconds, 8);
}

static void get_duration(const struct olv_key *key, struct wire *wire, void *member)
{
    struct olv_duration *d = member;
    (void)key;
    d->months = (int64_t)wire_get(wire, 8);
    d->seconds = (int64_t)wire_get(wire, 8);
    wire->is_broken |= d->months < 0 || d->seconds < 0;
}

static void duration_schema(const struct olv_key *key, struct olv_text *out)
{
    olv_text_puts(out, "\"$ref\": \"#/$defs/duration\"");
    if (key->usual)
        olv_text_printf(out, ", \"default\": \"%s\"", key->usual);
}

/* ---- sizes ---- */

static bool read_size(const struct olv_key *key, const char *text, size_t len, void *member,
                      struct olv_arena *arena, struct key_fault *fault)
{
    size_t at;
    (void)key;
    (void)arena;
    return olv_size_parse(text, len, member, &at) ||
           cannot_be(fault, text, len, "a size, such as 512, 10 MiB or 1.5 GB");
}

static void spell_size(const struct olv_key *key, const void *member, struct olv_text *out)
{
    static const char *const units[] = {"", " KiB", " MiB", " GiB", " TiB", " PiB"};
    uint64_t bytes = *(const uint64_t *)member;
    size_t unit = 0;
    (void)key;
    for (; bytes && bytes % 1024 == 0 && unit + 1 < sizeof units / sizeof *units; unit++)
        bytes /= 1024;
    olv_text_printf(out, "%llu%s", (unsigned long long)bytes, units[unit]);
}

static void put_size(const void *member, struct olv_text *out)
{
    wire_put(out, *(const uint64_t *)member, 8);
}

static void get_size(const struct olv_key *key, struct wire *wire, void *member)
{
    (void)key;
    *(uint64_t *)member = wire_get(wire, 8);
}

static void size_schema(const struct olv_key *key, struct olv_text *out)
{
    (void)key;
    olv_text_puts(out, "\"$ref\": \"#/$defs/size\"");
}

/* ---- strings ---- */

static bool read_text(const struct olv_key *key, const char *text, size_t len, void *member,
                      struct olv_arena *arena, struct key_fault *fault)
{
    char *copy;
    (void)key;
    if (len == 0) {
        cannot_be(fault, "", 0, "text");
        snprintf(fault->what, sizeof fault->what, "must be text, and not empty");
        return false;
    }
    copy = olv_arena_copy(arena, text, len);
    if (copy)
        *(const char **)member = copy;
    else
        snprintf(fault->what, sizeof fault->what, "out of memory");
    return copy;
}

static bool read_path(const struct olv_key *key, const char *text, size_t len, void *member,
                      struct olv_arena *arena, struct key_fault *fault)
{
    if (len && text[0] == '/')
        return read_text(key, text, len, member, arena, fault);
    return cannot_be(fault, text, len, "an absolute path, beginning with /");
}

static bool read_template(const struct olv_key *key, const char *text, size_t len, void *member,
                          struct olv_arena *arena, struct key_fault *fault)
{
    const char *copy = NULL;
    if (read_text(key, text, len, &copy, arena, fault) && template_is_sound(copy)) {
        *(const char **)member = copy;
        return true;
    }
    return copy && cannot_be(fault, text, len,
                             "a path that begins with / or {dir}/, with {name}, {stem} and {suffix} in it");
}

static void spell_text(const struct olv_key *key, const void *member, struct olv_text *out)
{
    (void)key;
    olv_text_puts(out, *(const char *const *)member);
}

static void put_text(const void *member, struct olv_text *out)
{
    wire_put_string(out, *(const char *const *)member, 4);
}

static void get_text(const struct olv_key *key, struct wire *wire, void *member)
{
    (void)key;
    *(const char **)member = wire_get_string(wire, 4);
}

static void get_path(const struct olv_key *key, struct wire *wire, void *member)
{
    const char *path;
    get_text(key, wire, member);
    path = *(const char **)member;
    wire->is_broken |= *path && *path != '/';
}

static void get_template(const struct olv_key *key, struct wire *wire, void *member)
{
    const char *text;
    get_text(key, wire, member);
    text = *(const char **)member;
    wire->is_broken |= *text && !template_is_sound(text);
}

static void text_schema(const struct olv_key *key, struct olv_text *out)
{
    (void)key;
    olv_text_puts(out, "\"type\": \"string\", \"minLength\": 1");
}

static void path_schema(const struct olv_key *key, struct olv_text *out)
{
    (void)key;
    olv_text_puts(out, "\"$ref\": \"#/$defs/path\"");
}

const struct key_type key_types[OLV_KEY_TYPES] = {
    [OLV_KEY_WORD] = {read_word, spell_word, put_word, get_word, word_schema},
    [OLV_KEY_NUMBER] = {read_number, spell_number, put_number, get_number, number_schema},
    [OLV_KEY_TRUTH] = {read_truth, spell_truth, put_truth, get_truth, truth_schema},
    [OLV_KEY_DURATION] = {read_duration, spell_duration, put_duration, get_duration, duration_schema},
    [OLV_KEY_SIZE] = {read_size, spell_size, put_size, get_size, size_schema},
    [OLV_KEY_TEXT] = {read_text, spell_text, put_text, get_text, text_schema},
    [OLV_KEY_DEPOT] = {read_text, spell_text, put_text, get_text, text_schema},
    [OLV_KEY_TEMPLATE] = {read_template, spell_text, put_text, get_template, text_schema},
    [OLV_KEY_PATH] = {read_path, spell_text, put_text, get_path, path_schema},
};
