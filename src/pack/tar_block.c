/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/tar_parts.h"

#include <stddef.h>
#include <string.h>

static bool get_binary(const unsigned char *field, unsigned len, int64_t *out)
{
    bool is_negative = field[0] & 0x40;
    uint64_t n = is_negative ? UINT64_MAX : 0;
    for (unsigned i = 0; i < len; i++) {
        unsigned char byte = i ? field[i] : (unsigned char)((field[0] & 0x7F) | (is_negative ? 0x80 : 0));
        if (i + 8 < len && byte != (is_negative ? 0xFF : 0))
            return false; /* more than 63 bits */
        n = n << 8 | byte;
    }
    *out = (int64_t)n;
    return (*out < 0) == is_negative;
}

bool tar_get_number(const char *field, unsigned len, int64_t *out)
{
    unsigned at = 0;
    uint64_t n = 0;
    if ((unsigned char)field[0] & 0x80)
        return get_binary((const unsigned char *)field, len, out);
    while (at < len && field[at] == ' ')
        at++;
    for (; at < len && field[at] >= '0' && field[at] <= '7'; at++) {
        if (n >> 60)
            return false;
        n = n * 8 + (uint64_t)(field[at] - '0');
    }
    *out = (int64_t)n;
    return at == len || field[at] == '\0' || field[at] == ' ';
}

bool tar_put_number(char *field, unsigned len, uint64_t number)
{
    bool fits = (number >> (3 * (len - 1))) == 0 || len > 21;
    for (unsigned i = len - 1; i-- > 0; number >>= 3)
        field[i] = (char)('0' + (number & 7));
    field[len - 1] = '\0';
    return fits;
}

static uint32_t sum_bytes(const void *bytes, size_t count)
{
    const unsigned char *at = bytes;
    uint32_t sum = 0;
    for (size_t i = 0; i < count; i++)
        sum += at[i];
    return sum;
}

/* How many bytes are negative as signed ones. */
static uint32_t count_negative(const void *bytes, size_t count)
{
    const unsigned char *at = bytes;
    uint32_t negative = 0;
    for (size_t i = 0; i < count; i++)
        negative += at[i] >> 7;
    return negative;
}

/* The checksum's own bytes count as blanks. */
uint32_t tar_checksum(const struct tar_block *block)
{
    uint32_t own = sum_bytes(block->chksum, sizeof block->chksum);
    return sum_bytes(block, sizeof *block) - own + (uint32_t)sizeof block->chksum * ' ';
}

/* Some old writers summed signed bytes. */
bool tar_checksum_is_right(const struct tar_block *block)
{
    int64_t said, sum = tar_checksum(block);
    if (!tar_get_number(block->chksum, sizeof block->chksum, &said))
        return false;
    return said == sum || said == sum - 256 * ((int64_t)count_negative(block, sizeof *block) -
                                               count_negative(block->chksum, sizeof block->chksum));
}
