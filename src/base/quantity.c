/* SPDX-License-Identifier: Apache-2.0 */
/* A size is a decimal number with up to nine decimals and a unit; the product is computed in integers. */
#include "olvido/quantity.h"

#include <stdio.h>
#include <string.h>

static const struct unit {
    const char *word;
    uint64_t bytes;
} units[] = {
    {"", 1},
    {"B", 1},
    {"kB", 1000u},
    {"KB", 1000u},
    {"MB", 1000000u},
    {"GB", 1000000000u},
    {"TB", 1000000000000u},
    {"PB", 1000000000000000u},
    {"KiB", 1ull << 10},
    {"MiB", 1ull << 20},
    {"GiB", 1ull << 30},
    {"TiB", 1ull << 40},
    {"PiB", 1ull << 50},
    {"EiB", 1ull << 60},
};

static const struct unit *find_unit(const char *text, size_t len)
{
    for (size_t i = 0; i < sizeof units / sizeof *units; i++)
        if (strlen(units[i].word) == len && memcmp(units[i].word, text, len) == 0)
            return &units[i];
    return NULL;
}

/* whole * unit + fraction / 10^places * unit, or false on overflow. */
static bool scale(uint64_t whole, uint64_t fraction, uint64_t power, uint64_t unit, uint64_t *out)
{
    uint64_t part = unit >= power ? fraction * (unit / power) + fraction * (unit % power) / power
                                  : fraction * unit / power;
    if (unit == 0 || whole > (UINT64_MAX - part) / unit)
        return false;
    *out = whole * unit + part;
    return true;
}

bool olv_size_parse(const char *text, size_t len, uint64_t *out, size_t *at)
{
    uint64_t whole = 0, fraction = 0, power = 1;
    const struct unit *unit;
    size_t i = 0;
    for (; i < len && text[i] >= '0' && text[i] <= '9'; i++) {
        uint64_t digit = (uint64_t)(text[i] - '0');
        *at = 0;
        if (whole > (UINT64_MAX - digit) / 10)
            return false;
        whole = whole * 10 + digit;
    }
    *at = i;
    if (i == 0)
        return false;
    if (i + 1 < len && text[i] == '.' && text[i + 1] >= '0' && text[i + 1] <= '9')
        for (i++; i < len && text[i] >= '0' && text[i] <= '9'; i++)
            if (power < 1000000000u) {
                fraction = fraction * 10 + (uint64_t)(text[i] - '0');
                power *= 10;
            }
    while (i < len && text[i] == ' ')
        i++;
    *at = i;
    unit = find_unit(text + i, len - i);
    if (!unit || (power > 1 && unit->bytes == 1))
        return false;
    *at = 0;
    return scale(whole, fraction, power, unit->bytes, out);
}

char *olv_size_format(uint64_t size_bytes, char buffer[OLV_SIZE_TEXT])
{
    static const char *const names[] = {"KiB", "MiB", "GiB", "TiB", "PiB", "EiB"};
    double value = (double)size_bytes / 1024;
    size_t i = 0;
    if (size_bytes < 1024) {
        snprintf(buffer, OLV_SIZE_TEXT, "%u B", (unsigned)size_bytes % 1024u);
        return buffer;
    }
    for (; value >= 1023.95 && i < 5; i++)
        value /= 1024;
    snprintf(buffer, OLV_SIZE_TEXT, "%.1f %s", value, names[i]);
    return buffer;
}
