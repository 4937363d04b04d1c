/* SPDX-License-Identifier: Apache-2.0 */
/* The plain bytes of a packed file, from its beginning to its end: in parallel where it can be cut, as a
 * stream where it cannot. Every checksum that the format has is checked. */
#ifndef OLV_PACK_UNPACK_H
#define OLV_PACK_UNPACK_H

#include "pack/codec.h"
#include "pack/source.h"

struct unpack;
/* Borrows the source. OLV_CODEC_NONE gives the bytes as they are. */
struct unpack *unpack_new(const struct pack_source *source, enum olv_codec codec, unsigned workers,
                          struct olv_error *err);
/* The next bytes, borrowed until the next call; `*len` is 0 at the end. False with OLV_BROKEN when the data
 * is damaged, ends too early, or is followed by something else: then all before it was given. */
bool unpack_next(struct unpack *unpack, const uint8_t **bytes, size_t *len, struct olv_error *err);
/* How much of the packed file the bytes given so far were in. */
uint64_t unpack_position(const struct unpack *unpack);
void unpack_free(struct unpack *unpack);

#endif
