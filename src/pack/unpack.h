/* SPDX-License-Identifier: Apache-2.0 */
/* The plain bytes of a packed file from start to end: in parallel where it can be cut, otherwise as a stream.
 * Verifies every checksum of the format. */
#ifndef OLV_PACK_UNPACK_H
#define OLV_PACK_UNPACK_H

#include "pack/codec.h"
#include "pack/source.h"

struct unpack;
/* Borrows the source. OLV_CODEC_NONE returns the bytes as they are. */
struct unpack *unpack_new(const struct pack_source *source, enum olv_codec codec, unsigned workers,
                          struct olv_error *err);
/* The next bytes, valid until the next call; `*len` is 0 at the end. False with OLV_BROKEN if the data is
 * damaged, truncated, or followed by something else, after returning everything before that. */
bool unpack_next(struct unpack *unpack, const uint8_t **bytes, size_t *len, struct olv_error *err);
/* Resumes at this offset of the packed file, where a frame begins (anywhere if uncompressed); also after
 * damage. */
bool unpack_restart(struct unpack *unpack, uint64_t at, struct olv_error *err);
/* Whether the last bytes came from a frame that may be damaged, because its checksum comes later. */
bool unpack_is_doubtful(const struct unpack *unpack);
/* How much of the packed file the bytes so far came from. */
uint64_t unpack_position(const struct unpack *unpack);
void unpack_free(struct unpack *unpack);

#endif
