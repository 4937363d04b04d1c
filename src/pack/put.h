/* SPDX-License-Identifier: Apache-2.0 */
/* Appends integers, little-endian. */
#ifndef OLV_PACK_PUT_H
#define OLV_PACK_PUT_H

#include "base/bytes.h"
#include "olvido/text.h"

static inline void put16(struct olv_text *out, uint64_t n)
{
    uint8_t bytes[2];
    bytes_put16(bytes, (uint16_t)n);
    olv_text_add(out, bytes, sizeof bytes);
}

static inline void put32(struct olv_text *out, uint64_t n)
{
    uint8_t bytes[4];
    bytes_put32(bytes, (uint32_t)n);
    olv_text_add(out, bytes, sizeof bytes);
}

static inline void put64(struct olv_text *out, uint64_t n)
{
    uint8_t bytes[8];
    bytes_put64(bytes, n);
    olv_text_add(out, bytes, sizeof bytes);
}

#endif
