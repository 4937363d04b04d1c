/* SPDX-License-Identifier: Apache-2.0 */
/* Names are bytes, but people count characters: UTF-8 sequences, and each byte that is none. */
#ifndef OLV_BASE_CHARACTERS_H
#define OLV_BASE_CHARACTERS_H

#include <stddef.h>
#include <stdint.h>
#include <unistr.h>

/* What no character is: from here on, bytes that are no text. */
#define OLV_NO_CHARACTER UINT32_C(0x110000)

/* The character at `text`, which has at least one byte; its length in bytes. */
static inline size_t olv_character(const char *text, size_t len, uint32_t *out)
{
    const uint8_t *bytes = (const uint8_t *)text;
    ucs4_t c;
    int n;
    *out = bytes[0];
    if (bytes[0] < 0x80)
        return 1;
    n = u8_mbtoucr(&c, bytes, len);
    *out = n > 0 ? c : OLV_NO_CHARACTER + bytes[0];
    return n > 0 ? (size_t)n : 1;
}

#endif
