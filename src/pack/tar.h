/* SPDX-License-Identifier: Apache-2.0 */
/* The pax interchange format (POSIX.1-2001, `pax`) and its predecessors, as bytes. Written: ustar headers
 * with pax records for values that do not fit, and the customary vendor keys for extended attributes, access
 * control lists and sparse files. Read: those, the older formats, and the customary vendor extensions for
 * long names and sparse files. docs/formats/archive.md describes what is written. */
#ifndef OLV_PACK_TAR_H
#define OLV_PACK_TAR_H

#include "base/digest.h"
#include "olvido/member.h"
#include "olvido/text.h"
#include "pack/stream.h"

enum { TAR_BLOCK = 512 };

/* How many zeros pad data of this length to a block. */
static inline uint64_t tar_padding(uint64_t length)
{
    return (TAR_BLOCK - length % TAR_BLOCK) % TAR_BLOCK;
}

/* ---- writing ---- */

/* Appends the headers of a member: behind them come its data (of a sparse file only what its extents say, one
 * behind the other), and padding. */
void tar_put_member(struct olv_text *out, const struct olv_member *member);
/* How many bytes of data follow its headers, without padding. */
uint64_t tar_data_length(const struct olv_member *member);
/* Appends zeros to pad data of this length to a block. */
void tar_put_padding(struct olv_text *out, uint64_t data_length);
/* Appends the end mark. */
void tar_put_end(struct olv_text *out);

/* ---- reading ---- */

struct tar_reader;
/* Borrows the stream. `at`: the offset of its first byte in the unpacked archive. NULL without memory. */
struct tar_reader *tar_reader_new(const struct byte_stream *stream, uint64_t at);
/* The next member; skips what was not read of the previous one. False at the end (err->code is OLV_OK), or
 * with OLV_BROKEN. The member is valid until the next call. */
bool tar_next(struct tar_reader *reader, struct olv_member *out, struct olv_error *err);
/* The member's next data: `*len` bytes at offset `*at` of the file; `*len` is 0 at the end. */
bool tar_data(struct tar_reader *reader, const uint8_t **bytes, size_t *len, uint64_t *at,
              struct olv_error *err);
/* From now on gives the hasher all bytes of each member's headers: tar_next starts it, and the caller ends it
 * right after that. Borrowed. */
void tar_watch_headers(struct tar_reader *reader, struct olv_hasher *hasher);
/* The offset of the next byte in the unpacked archive. */
uint64_t tar_position(const struct tar_reader *reader);
/* Whether this block can start a tar archive. */
bool tar_is_header(const uint8_t block[TAR_BLOCK]);
void tar_reader_free(struct tar_reader *reader);

#endif
