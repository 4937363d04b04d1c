/* SPDX-License-Identifier: Apache-2.0 */
/* Where packed bytes come from: a file, or memory in a test. Formats know nothing of files. */
#ifndef OLV_PACK_SOURCE_H
#define OLV_PACK_SOURCE_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

struct pack_source {
    void *self;
    /* Fills `out` with the `len` bytes from `at` on, which are there; any thread may call it. */
    bool (*read_at)(void *self, void *out, size_t len, uint64_t at, struct olv_error *err);
    uint64_t size;
};

/* The same with the bounds checked: false with OLV_BROKEN where the source ends before. */
static inline bool pack_read(const struct pack_source *source, void *out, size_t len, uint64_t at,
                             struct olv_error *err)
{
    if (at > source->size || len > source->size - at)
        return olv_fail(err, OLV_BROKEN, "it ends too early");
    return len == 0 || source->read_at(source->self, out, len, at, err);
}

#endif
