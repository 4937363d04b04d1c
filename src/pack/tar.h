/* SPDX-License-Identifier: Apache-2.0 */
/* The pax interchange format (POSIX.1-2001, `pax`) and what came before it, as bytes. Written: ustar headers
 * with pax records where a value does not fit, and the customary vendor keys for extended attributes, access
 * control lists and sparse files. Read: those, the older formats, and the customary vendor extensions for
 * long names and sparse files. docs/formats/archive.md describes what is written. */
#ifndef OLV_PACK_TAR_H
#define OLV_PACK_TAR_H

#include "base/digest.h"
#include "olvido/member.h"
#include "olvido/text.h"
#include "pack/stream.h"

enum { TAR_BLOCK = 512 };

/* How many zeros come behind data of this length, up to the end of a block. */
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
/* Appends zeros up to a block's end, for data of this length. */
void tar_put_padding(struct olv_text *out, uint64_t data_length);
/* Appends the mark of the end. */
void tar_put_end(struct olv_text *out);

/* ---- reading ---- */

struct tar_reader;
/* Borrows the stream. `at`: where its first byte stands in the plain archive. NULL without memory. */
struct tar_reader *tar_reader_new(const struct byte_stream *stream, uint64_t at);
/* The next member; what was not read of the one before is passed over. False at the end (err->code is
 * OLV_OK), or with OLV_BROKEN. The member is borrowed until the next call. */
bool tar_next(struct tar_reader *reader, struct olv_member *out, struct olv_error *err);
/* The next data of the member: `*len` bytes that belong at `*at` in the file; `*len` is 0 when there is no
 * more. */
bool tar_data(struct tar_reader *reader, const uint8_t **bytes, size_t *len, uint64_t *at,
              struct olv_error *err);
/* Gives the hasher all bytes of each member's headers from now on: tar_next begins it, whoever asked ends it
 * right after that. It is borrowed. */
void tar_watch_headers(struct tar_reader *reader, struct olv_hasher *hasher);
/* Where its next byte stands in the plain archive. */
uint64_t tar_position(const struct tar_reader *reader);
/* Whether these are the first bytes of a tar archive. */
bool tar_is_header(const uint8_t block[TAR_BLOCK]);
void tar_reader_free(struct tar_reader *reader);

#endif
