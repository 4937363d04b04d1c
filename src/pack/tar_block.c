/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/tar_block.h"

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

/* Eight bytes at a time: each lane of 16 bits has room for the sum of all, and so have all lanes together. */
static void add_words(const unsigned char *bytes, size_t words, uint32_t *sum, uint32_t *negative)
{
    const uint64_t every_other = 0x00FF00FF00FF00FF, ones = 0x0001000100010001;
    uint64_t even = 0, odd = 0, high = 0;
    for (size_t i = 0; i < words; i++) {
        uint64_t word;
        memcpy(&word, bytes + 8 * i, sizeof word);
        even += word & every_other;
        odd += word >> 8 & every_other;
        high += word >> 7 & 0x0101010101010101;
    }
    *sum = (uint32_t)(even * ones >> 48) + (uint32_t)(odd * ones >> 48);
    *negative =
        (uint32_t)((high & every_other) * ones >> 48) + (uint32_t)((high >> 8 & every_other) * ones >> 48);
}

static void sums(const struct tar_block *block, uint32_t *as_unsigned, int32_t *as_signed)
{
    enum { WORDS = sizeof *block / 8, OWN = sizeof block->chksum };
    uint32_t sum, negative, own, own_negative;
    add_words((const unsigned char *)block, WORDS, &sum, &negative);
    add_words((const unsigned char *)block->chksum, OWN / 8, &own, &own_negative);
    *as_unsigned = sum - own + OWN * ' ';
    *as_signed = (int32_t)*as_unsigned - 256 * (int32_t)(negative - own_negative);
}

uint32_t tar_checksum(const struct tar_block *block)
{
    uint32_t sum;
    int32_t ignored;
    sums(block, &sum, &ignored);
    return sum;
}

/* Some old writers summed signed bytes. */
bool tar_checksum_is_right(const struct tar_block *block)
{
    uint32_t as_unsigned;
    int32_t as_signed;
    int64_t said;
    sums(block, &as_unsigned, &as_signed);
    return tar_get_number(block->chksum, sizeof block->chksum, &said) &&
           (said == (int64_t)as_unsigned || said == as_signed);
}
