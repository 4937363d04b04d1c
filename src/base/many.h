/* SPDX-License-Identifier: Apache-2.0 */
/* SHA-256 of many inputs at once. If a library for wide registers was found at build time, one core hashes
 * several side by side, in a fraction of the time; otherwise one after the other. */
#ifndef OLV_BASE_MANY_H
#define OLV_BASE_MANY_H

#include "base/digest.h"

struct many_piece {
    const void *bytes;
    size_t len;
    uint8_t *out; /* OLV_SHA256_SIZE bytes */
};

/* For one thread at a time. */
struct many_hasher;
struct many_hasher *many_hasher_new(void); /* NULL without memory */
void many_hasher_free(struct many_hasher *hasher);
void many_sha256(struct many_hasher *hasher, const struct many_piece *pieces, size_t count);

#endif
