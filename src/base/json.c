/* SPDX-License-Identifier: Apache-2.0 */
#include "olvido/json.h"

#include "base/digest.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistr.h>

void olv_json_string(json_t *object, const char *key, const char *string)
{
    json_object_set_new_nocheck(object, key, json_string(string));
}

/* Every invalid byte becomes U+FFFD. */
static void repair(const char *bytes, struct olv_text *out)
{
    const uint8_t *at = (const uint8_t *)bytes, *end = at + strlen(bytes);
    while (at < end) {
        ucs4_t character;
        int n = u8_mbtoucr(&character, at, (size_t)(end - at));
        if (n > 0)
            olv_text_add(out, at, (size_t)n);
        else
            olv_text_puts(out, "\xEF\xBF\xBD");
        at += n > 0 ? n : 1;
    }
}

/* The key for a name's raw bytes. */
static void name_b64(const char *key, char out[48])
{
    snprintf(out, 48, "%.40s_b64", key);
}

void olv_json_name(json_t *object, const char *key, const char *bytes)
{
    size_t len = strlen(bytes);
    struct olv_text text = {0};
    char key_b64[48], *b64;
    if (!u8_check((const uint8_t *)bytes, len)) {
        json_object_set_new_nocheck(object, key, json_stringn_nocheck(bytes, len));
        return;
    }
    repair(bytes, &text);
    json_object_set_new_nocheck(object, key, json_string(olv_text_string(&text)));
    olv_text_free(&text);
    b64 = malloc(4 * (len / 3 + 1) + 1);
    if (b64)
        olv_base64((const uint8_t *)bytes, len, b64);
    name_b64(key, key_b64);
    json_object_set_new_nocheck(object, key_b64, json_string(b64 ? b64 : ""));
    free(b64);
}

void olv_json_number(json_t *object, const char *key, uint64_t number)
{
    char digits[24];
    if (number <= (uint64_t)1 << 53) {
        json_object_set_new_nocheck(object, key, json_integer((json_int_t)number));
        return;
    }
    snprintf(digits, sizeof digits, "%llu", (unsigned long long)number);
    olv_json_string(object, key, digits);
}

void olv_json_instant(json_t *object, const char *key, struct olv_instant instant)
{
    char text[OLV_RFC3339_SIZE];
    olv_json_string(object, key, olv_instant_format(instant, text));
}

bool olv_json_get_name(const json_t *object, const char *key, struct olv_text *out)
{
    char key_b64[48];
    const json_t *b64, *plain = json_object_get(object, key);
    long n;
    char *room;
    olv_text_clear(out);
    name_b64(key, key_b64);
    b64 = json_object_get(object, key_b64);
    if (!json_is_string(b64)) {
        if (json_is_string(plain))
            olv_text_add(out, json_string_value(plain), json_string_length(plain));
        return json_is_string(plain) && !out->failed;
    }
    room = olv_text_room(out, json_string_length(b64));
    n = room ? olv_unbase64(json_string_value(b64), json_string_length(b64), (uint8_t *)room) : -1;
    if (n < 0)
        return false;
    out->len = (size_t)n;
    room[n] = '\0';
    return true;
}

uint64_t olv_json_get_number(const json_t *object, const char *key)
{
    const json_t *value = json_object_get(object, key);
    if (json_is_string(value))
        return strtoull(json_string_value(value), NULL, 10);
    return json_is_integer(value) && json_integer_value(value) > 0 ? (uint64_t)json_integer_value(value) : 0;
}

void olv_json_line(const json_t *object, struct olv_text *out)
{
    enum { USUAL = 512 };
    size_t need, room_len = USUAL;
    char *room = olv_text_room(out, room_len);
    if (!room)
        return;
    need = json_dumpb(object, room, room_len, JSON_COMPACT);
    if (need > room_len && (room = olv_text_room(out, need)))
        json_dumpb(object, room, need, JSON_COMPACT);
    if (!room || need == 0) {
        out->failed = true;
        return;
    }
    out->len += need;
    out->data[out->len] = '\0';
}

/* ---- members of a fixed form ---- */

/* `"key":value`, after a comma unless it comes first. */
static void put_raw(struct olv_text *out, const char *key, const char *value, size_t len, bool is_quoted)
{
    enum { AROUND = 6 }; /* ,"": and quotes */
    size_t key_len = strlen(key);
    char *at = olv_text_room(out, key_len + len + AROUND);
    if (!at)
        return;
    if (out->len && at[-1] != '{')
        *at++ = ',';
    *at++ = '"';
    memcpy(at, key, key_len);
    at += key_len;
    *at++ = '"';
    *at++ = ':';
    if (is_quoted)
        *at++ = '"';
    memcpy(at, value, len);
    at += len;
    if (is_quoted)
        *at++ = '"';
    out->len = (size_t)(at - out->data);
    *at = '\0';
}

/* For eight bytes at a time, sets the high bit of bytes that are below `n` (at most 128), or equal to `c`.
 * The lowest bit set is always right, so it is also right whether any is. */
static uint64_t any_below(uint64_t word, uint8_t n)
{
    return (word - 0x0101010101010101 * n) & ~word & 0x8080808080808080;
}

static uint64_t any_equal(uint64_t word, uint8_t c)
{
    return any_below(word ^ 0x0101010101010101 * c, 1);
}

static bool is_plain(uint64_t word)
{
    return !(word & 0x8080808080808080) &&
           !(any_below(word, 0x20) | any_equal(word, 0x7F) | any_equal(word, '"') | any_equal(word, '\\'));
}

/* Its length if JSON takes it unescaped, as it does nearly all names; else SIZE_MAX. */
static size_t plain_length(const char *string)
{
    size_t len = strlen(string), at = 0;
    uint64_t word = 0x2020202020202020;
    bool ok = true;
    for (; at + sizeof word <= len; at += sizeof word) {
        memcpy(&word, string + at, sizeof word);
        ok &= is_plain(word);
    }
    word = 0x2020202020202020;
    memcpy(&word, string + at, len - at);
    return ok && is_plain(word) ? len : SIZE_MAX;
}

static void put_encoded(struct olv_text *out, const char *key, json_t *string)
{
    char *encoded = string ? json_dumps(string, JSON_ENCODE_ANY | JSON_COMPACT) : NULL;
    if (encoded)
        put_raw(out, key, encoded, strlen(encoded), false);
    else
        out->failed = true;
    free(encoded);
    json_decref(string);
}

void olv_json_put_string(struct olv_text *out, const char *key, const char *string)
{
    size_t len = plain_length(string);
    if (len == SIZE_MAX)
        put_encoded(out, key, json_string(string));
    else
        put_raw(out, key, string, len, true);
}

void olv_json_put_plain(struct olv_text *out, const char *key, const char *string)
{
    put_raw(out, key, string, strlen(string), true);
}

static void put_member(struct olv_text *out, const json_t *object, const char *key)
{
    const char *value = json_string_value(json_object_get(object, key));
    if (value)
        olv_json_put_string(out, key, value);
    else
        out->failed = true;
}

void olv_json_put_name(struct olv_text *out, const char *key, const char *bytes)
{
    char key_b64[48];
    json_t *object;
    if (olv_is_utf8(bytes)) {
        olv_json_put_string(out, key, bytes);
        return;
    }
    object = json_object();
    olv_json_name(object, key, bytes);
    name_b64(key, key_b64);
    put_member(out, object, key);
    put_member(out, object, key_b64);
    json_decref(object);
}

void olv_json_put_number(struct olv_text *out, const char *key, uint64_t number)
{
    char room[OLV_DIGITS];
    const char *digits = olv_digits(room, number);
    if (number > (uint64_t)1 << 53) {
        olv_json_put_string(out, key, digits);
        return;
    }
    put_raw(out, key, digits, strlen(digits), false);
}

void olv_json_put_instant(struct olv_text *out, const char *key, struct olv_instant instant)
{
    char text[OLV_RFC3339_SIZE];
    olv_instant_format(instant, text);
    put_raw(out, key, text, strlen(text), true);
}
