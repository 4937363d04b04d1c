/* SPDX-License-Identifier: Apache-2.0 */
/* Where packed bytes come from: a file, or memory in a test. Formats do not know files. */
#ifndef OLV_PACK_SOURCE_H
#define OLV_PACK_SOURCE_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

struct pack_source {
    void *self;
    /* Fills `out` with `len` bytes at offset `at`, which exist; thread-safe. */
    bool (*read_at)(void *self, void *out, size_t len, uint64_t at, struct olv_error *err);
    uint64_t size;
};

/* The same with a bounds check: false with OLV_BROKEN if the source is shorter. */
static inline bool pack_read(const struct pack_source *source, void *out, size_t len, uint64_t at,
                             struct olv_error *err)
{
    if (at > source->size || len > source->size - at)
        return olv_fail(err, OLV_BROKEN, "it ends too early");
    return len == 0 || source->read_at(source->self, out, len, at, err);
}

#endif
