/* SPDX-License-Identifier: Apache-2.0 */
/* Growing byte strings. Capacity doubles; one byte is reserved for the final NUL. */
#include "olvido/text.h"

#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistr.h>

enum { FIRST_CAPACITY = 64 };

char *olv_text_grow(struct olv_text *text, size_t len)
{
    size_t need, cap = text->cap ? text->cap : FIRST_CAPACITY;
    char *data;
    if (text->failed || len > SIZE_MAX / 2 - text->len - 1) {
        text->failed = true;
        return NULL;
    }
    need = text->len + len + 1;
    if (need <= text->cap)
        return text->data + text->len;
    while (cap < need)
        cap *= 2;
    data = realloc(text->data, cap);
    if (!data) {
        text->failed = true;
        return NULL;
    }
    text->data = data;
    text->cap = cap;
    return data + text->len;
}

void olv_text_add(struct olv_text *text, const void *bytes, size_t len)
{
    char *room = olv_text_room(text, len);
    if (!room)
        return;
    if (len)
        memcpy(room, bytes, len);
    text->len += len;
    text->data[text->len] = '\0';
}

void olv_text_puts(struct olv_text *text, const char *string)
{
    olv_text_add(text, string, strlen(string));
}

void olv_text_vprintf(struct olv_text *text, const char *format, va_list args)
{
    enum { LIKELY = 128 };
    char *room = olv_text_room(text, LIKELY);
    size_t size = room ? text->cap - text->len : 0;
    va_list again;
    int len;
    va_copy(again, args);
    len = vsnprintf(room, size, format, args);
    if (room && len >= 0 && (size_t)len >= size) {
        room[0] = '\0';
        room = olv_text_room(text, (size_t)len);
        vsnprintf(room, room ? (size_t)len + 1 : 0, format, again);
    }
    va_end(again);
    if (!room || len < 0)
        text->failed = true;
    else
        text->len += (size_t)len;
}

void olv_text_printf(struct olv_text *text, const char *format, ...)
{
    va_list args;
    va_start(args, format);
    olv_text_vprintf(text, format, args);
    va_end(args);
}

void olv_text_clear(struct olv_text *text)
{
    text->len = 0;
    text->failed = false;
    if (text->data)
        text->data[0] = '\0';
}

void olv_text_free(struct olv_text *text)
{
    free(text->data);
    *text = (struct olv_text){0};
}

bool olv_text_is_same(const struct olv_text *a, const struct olv_text *b)
{
    return a->len == b->len && (a->len == 0 || memcmp(a->data, b->data, a->len) == 0);
}

const char *olv_text_string(const struct olv_text *text)
{
    return text->data ? text->data : "";
}

const char *olv_digits(char room[OLV_DIGITS], uint64_t number)
{
    char *at = room + OLV_DIGITS - 1;
    *at = '\0';
    do
        *--at = (char)('0' + number % 10);
    while (number /= 10);
    return at;
}

/* Most strings are plain ASCII. */
bool olv_is_utf8(const char *string)
{
    size_t len = 0;
    while (string[len] && !((unsigned char)string[len] & 0x80))
        len++;
    return !string[len] || !u8_check((const uint8_t *)string + len, strlen(string + len));
}
