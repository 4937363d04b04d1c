/* SPDX-License-Identifier: Apache-2.0 */
/* A growing byte string. Always NUL-terminated, may contain NULs, and remembers a failed allocation in
 * `failed`, so a writer checks once at the end. */
#ifndef OLVIDO_TEXT_H
#define OLVIDO_TEXT_H

#include <stdarg.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct olv_text {
    char *data; /* owned; NULL while empty */
    size_t len;
    size_t cap;
    bool failed;
};

void olv_text_add(struct olv_text *text, const void *bytes, size_t len);
void olv_text_puts(struct olv_text *text, const char *string);
void olv_text_printf(struct olv_text *text, const char *format, ...);
void olv_text_vprintf(struct olv_text *text, const char *format, va_list args);
/* For olv_text_room, when there is too little room. */
char *olv_text_grow(struct olv_text *text, size_t len);
/* Makes room for `len` more bytes and returns where to write them, or NULL; the caller then raises `len`. */
static inline char *olv_text_room(struct olv_text *text, size_t len)
{
    bool is_there = !text->failed && len < text->cap - text->len;
    return is_there ? text->data + text->len : olv_text_grow(text, len);
}
void olv_text_clear(struct olv_text *text); /* keeps the memory */
void olv_text_free(struct olv_text *text);
bool olv_text_is_same(const struct olv_text *a, const struct olv_text *b);
/* Never NULL. */
const char *olv_text_string(const struct olv_text *text);
/* The decimal digits of a number, written so that they end where `room` ends. */
enum { OLV_DIGITS = 21 };
const char *olv_digits(char room[OLV_DIGITS], uint64_t number);
/* Whether a string is UTF-8. */
bool olv_is_utf8(const char *string);

#endif
