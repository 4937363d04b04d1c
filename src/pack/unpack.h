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
/* Goes on at this place of the packed file, where a frame begins (anywhere, where nothing is packed); also
 * after damage was found. */
bool unpack_restart(struct unpack *unpack, uint64_t at, struct olv_error *err);
/* Whether the bytes given last were in a frame that may be damaged, for its checksum comes behind them. */
bool unpack_is_doubtful(const struct unpack *unpack);
/* How much of the packed file the bytes given so far were in. */
uint64_t unpack_position(const struct unpack *unpack);
void unpack_free(struct unpack *unpack);

#endif
