/* SPDX-License-Identifier: Apache-2.0 */
/* Where a packed file can be cut, to decode its pieces in parallel. The result is only a guess until the
 * pieces decode: a mark may be there by chance or by malice. */
#ifndef OLV_PACK_SPLIT_H
#define OLV_PACK_SPLIT_H

#include "pack/codec.h"
#include "pack/source.h"

/* One or more frames, from `at` to the next piece. */
struct piece {
    uint64_t at, length;
};

struct pieces {
    struct piece *items; /* owned; they cover the source */
    size_t count, cap;
};

/* If nothing is known, there is one piece. */
bool split_frames(const struct pack_source *source, enum olv_codec codec, struct pieces *out,
                  struct olv_error *err);
void pieces_free(struct pieces *pieces);

#endif
