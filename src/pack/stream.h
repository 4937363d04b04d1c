/* SPDX-License-Identifier: Apache-2.0 */
/* Plain bytes, piece by piece. */
#ifndef OLV_PACK_STREAM_H
#define OLV_PACK_STREAM_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

struct byte_stream {
    void *self;
    /* The next bytes, valid until the next call; `*len` is 0 at the end. */
    bool (*next)(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err);
};

#endif
