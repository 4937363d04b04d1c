/* SPDX-License-Identifier: Apache-2.0 */
/* The primitives of binary records: little-endian numbers of fixed width, and strings preceded by their
 * length. Everything read is checked, because it may come from a damaged disk. */
#ifndef OLV_BASE_WIRE_H
#define OLV_BASE_WIRE_H

#include "base/arena.h"
#include "olvido/calendar.h"
#include "olvido/text.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { WIRE_INSTANT = 12 };

struct wire {
    const uint8_t *bytes;
    size_t len, at;
    struct olv_arena *arena; /* for strings */
    bool is_broken;          /* from then on everything reads as zero */
};

void wire_put(struct olv_text *out, uint64_t value, unsigned width);
uint64_t wire_get(struct wire *wire, unsigned width);
/* This many bytes. NULL: there are fewer. */
const uint8_t *wire_get_bytes(struct wire *wire, size_t count);
/* NULL is written as "", and never read; the string contains no NUL. */
void wire_put_string(struct olv_text *out, const char *string, unsigned width);
const char *wire_get_string(struct wire *wire, unsigned width);
/* In place: `at` has WIRE_INSTANT bytes. */
uint8_t *wire_put_instant(uint8_t *at, struct olv_instant t);
struct olv_instant wire_instant_at(struct wire *wire, const uint8_t *at);

#endif
