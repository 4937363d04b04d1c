/* SPDX-License-Identifier: Apache-2.0 */
/* The header of our gzip members (RFC 1952, 2.3): an extra field with one subfield, "OF", has the length of
 * the whole member and of its contents. */
#ifndef OLV_PACK_GZIP_H
#define OLV_PACK_GZIP_H

#include "base/bytes.h"

#include <stdbool.h>
#include <stddef.h>
#include <string.h>

enum { GZIP_HEADER = 24, GZIP_TRAILER = 8 };

static inline void gzip_put_header(uint8_t out[GZIP_HEADER], uint32_t whole_len, uint32_t plain_len)
{
    /* method 8, extra field; no time; no system; XLEN 12, subfield OF of 8 bytes */
    static const uint8_t head[16] = {0x1F, 0x8B, 8, 4, 0, 0, 0, 0, 0, 255, 12, 0, 'O', 'F', 8, 0};
    memcpy(out, head, sizeof head);
    bytes_put32(out + 16, whole_len);
    bytes_put32(out + 20, plain_len);
}

/* False if it is not one of our headers. */
static inline bool gzip_get_header(const uint8_t *in, size_t len, uint32_t *whole_len, uint32_t *plain_len)
{
    if (len < GZIP_HEADER || in[0] != 0x1F || in[1] != 0x8B || in[2] != 8 || in[3] != 4 || in[10] != 12 ||
        in[11] != 0 || memcmp(in + 12, "OF\10", 4) != 0)
        return false;
    *whole_len = bytes_get32(in + 16);
    *plain_len = bytes_get32(in + 20);
    return *whole_len > GZIP_HEADER + GZIP_TRAILER;
}

#endif
