/* SPDX-License-Identifier: Apache-2.0 */
/* Our zip archives have the same plain bytes as a tar: each member's header, then its contents, padded.
 * Packed, a member is an entry that every zip reader knows; its tar header is in an extra field, so that
 * nothing is lost, and a frame unpacks to exactly the bytes that went in. A member has a frame of its own or,
 * if it is large, several: then each is deflated separately and ends on a byte boundary with an empty stored
 * block (RFC 1951, 3.2.4), and its lengths follow its data. docs/formats/archive.md has more. */
#ifndef OLV_PACK_ZIP_FRAME_H
#define OLV_PACK_ZIP_FRAME_H

#include "olvido/member.h"
#include "pack/codec.h"
#include "pack/frames.h"

/* ---- the header of an entry ---- */

/* Appends it, for a member with this tar header; for a link, with its target. `is_large`: it gets several
 * frames. False with OLV_REFUSED if it has more attributes than an entry can hold. */
bool zip_put_local(struct olv_text *out, const struct olv_member *member, const char *header,
                   size_t header_len, bool is_large, struct olv_error *err);

/* The contents of such a header. */
struct zip_local {
    size_t length; /* of the header */
    unsigned flags, method;
    uint32_t crc, packed_length, plain_length; /* zero in a header whose lengths follow the data */
    uint32_t mode;                             /* including the kind of file; see <sys/stat.h> */
    const uint8_t *fields;                     /* extra fields, and the one with the tar header */
    size_t fields_len;
    const uint8_t *own;
    size_t own_len;
};
/* The length of the header that starts with these ZIP_LOCAL bytes; 0 if it is none. */
size_t zip_local_length(const uint8_t *bytes);
/* Borrows the bytes. False if it is not one of our headers, or incomplete. */
bool zip_local_read(const uint8_t *bytes, size_t len, struct zip_local *out);
/* Appends the tar header. */
bool zip_local_header(const struct zip_local *local, struct olv_text *out);

/* ---- packing: by any thread ---- */

struct zip_encoder;
struct zip_encoder *zip_encoder_new(int level); /* NULL without memory */
/* Fills `packed` and `crc` of the job. False with its error. */
bool zip_encode(struct zip_encoder *encoder, struct frame_job *job);
void zip_encoder_free(struct zip_encoder *encoder);

/* ---- unpacking ---- */

struct zip_decoder;
struct zip_decoder *zip_decoder_new(void); /* NULL without memory */
/* Like decoder_run. */
enum decoded zip_decode(struct zip_decoder *decoder, struct decoder_io *io, struct olv_error *err);
void zip_decoder_reset(struct zip_decoder *decoder);
void zip_decoder_free(struct zip_decoder *decoder);

/* ---- the directory at the end: in the order of the frames ---- */

struct zip_directory;
struct zip_directory *zip_directory_new(void); /* NULL without memory */
/* Notes a packed frame that will begin at this byte. Appends the lengths to the last one of a large member.
 */
bool zip_directory_take(struct zip_directory *directory, struct frame_job *job, uint64_t at,
                        struct olv_error *err);
/* Forgets an incomplete large member. */
void zip_directory_cut(struct zip_directory *directory);
/* Appends the directory, which will begin at this byte. */
void zip_directory_end(const struct zip_directory *directory, uint64_t at, struct olv_text *out);
void zip_directory_free(struct zip_directory *directory);

#endif
