/* SPDX-License-Identifier: Apache-2.0 */
/* The bytes of a docket, primitive by primitive: little-endian numbers of a fixed width, strings behind their
 * length. What is read is checked, for it may come from a damaged disk. */
#ifndef OLV_DOCKET_WIRE_H
#define OLV_DOCKET_WIRE_H

#include "base/arena.h"
#include "olvido/docket.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { WIRE_INSTANT = 12 };

struct wire {
    const uint8_t *bytes;
    size_t len, at;
    struct olv_arena *arena; /* for strings */
    bool is_broken;          /* from then on everything is zero */
};

void wire_put(struct olv_text *out, uint64_t value, unsigned width);
uint64_t wire_get(struct wire *wire, unsigned width);
/* Bytes whose number is known. NULL: they are not there. */
const uint8_t *wire_get_bytes(struct wire *wire, size_t count);
/* NULL is written as "", and never read; no NUL is within. */
void wire_put_string(struct olv_text *out, const char *string, unsigned width);
const char *wire_get_string(struct wire *wire, unsigned width);
/* In place: `at` has WIRE_INSTANT bytes. */
uint8_t *wire_put_instant(uint8_t *at, struct olv_instant t);
struct olv_instant wire_instant_at(struct wire *wire, const uint8_t *at);

/* How an act is to be done. Two manners are the same when their bytes are. */
void wire_put_manner(struct olv_text *out, const struct olv_manner *manner);
void wire_get_manner(struct wire *wire, struct olv_manner *manner);
/* Where in an archive a file is. */
void wire_put_location(struct olv_text *out, const struct olv_location *location);
void wire_get_location(struct wire *wire, struct olv_location *location);

#endif
