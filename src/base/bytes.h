/* SPDX-License-Identifier: Apache-2.0 */
/* Little-endian numbers as bytes. */
#ifndef OLV_BASE_BYTES_H
#define OLV_BASE_BYTES_H

#include <stdint.h>

static inline void bytes_put16(uint8_t *out, uint16_t n)
{
    out[0] = (uint8_t)n;
    out[1] = (uint8_t)(n >> 8);
}

static inline void bytes_put32(uint8_t *out, uint32_t n)
{
    bytes_put16(out, (uint16_t)n);
    bytes_put16(out + 2, (uint16_t)(n >> 16));
}

static inline void bytes_put64(uint8_t *out, uint64_t n)
{
    bytes_put32(out, (uint32_t)n);
    bytes_put32(out + 4, (uint32_t)(n >> 32));
}

static inline uint16_t bytes_get16(const uint8_t *in)
{
    return (uint16_t)(in[0] | in[1] << 8);
}

static inline uint32_t bytes_get32(const uint8_t *in)
{
    return bytes_get16(in) | (uint32_t)bytes_get16(in + 2) << 16;
}

static inline uint64_t bytes_get64(const uint8_t *in)
{
    return bytes_get32(in) | (uint64_t)bytes_get32(in + 4) << 32;
}

#endif
