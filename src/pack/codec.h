/* SPDX-License-Identifier: Apache-2.0 */
/* Bytes to frames, and frames to bytes. A frame is the self-contained unit of each format: a gzip member, a
 * bzip2 stream, an xz stream, a zstd frame. Files are sequences of frames, which every reader of the format
 * accepts. */
#ifndef OLV_PACK_CODEC_H
#define OLV_PACK_CODEC_H

#include "olvido/codec.h"
#include "olvido/error.h"

/* Enough bytes for codec_detect. */
enum { CODEC_HEAD = 6 };
/* By the first bytes; OLV_CODEC_NONE if they belong to none of the formats. */
enum olv_codec codec_detect(const uint8_t *head, size_t len);

/* Enough bytes for codec_begins. */
enum { CODEC_MARK = 10 };
/* Whether these may be the first bytes of a frame with contents: stricter than codec_detect, for finding
 * frames among other bytes. For a zip archive: of a member. */
bool codec_begins(enum olv_codec codec, const uint8_t *mark, size_t len);
int codec_first_byte(enum olv_codec codec);

/* ---- encoding: one frame at a time, in memory ---- */

/* For one thread at a time. */
struct encoder;
struct encoder *encoder_new(enum olv_codec codec, int level); /* NULL without memory */
void encoder_free(struct encoder *encoder);
/* The largest size of a frame with this many bytes. */
size_t encoder_bound(const struct encoder *encoder, size_t plain_len);
/* Returns the length of the frame in `out`, which needs encoder_bound bytes; 0 without memory. A frame takes
 * at most 1 GiB. */
size_t encoder_run(struct encoder *encoder, const void *plain, size_t plain_len, void *out, size_t room);

/* ---- decoding, frame by frame, as the bytes come ---- */

struct decoder;
struct decoder *decoder_new(enum olv_codec codec); /* NULL without memory; not for OLV_CODEC_NONE */
void decoder_free(struct decoder *decoder);

struct decoder_io {
    const uint8_t *in;
    size_t in_len; /* `in` and `in_len` advance past what was used */
    uint8_t *out;
    size_t out_len; /* `out` and `out_len` advance past what was written */
};

enum decoded {
    DECODED_MORE,  /* inside a frame: more input or more room is needed */
    DECODED_END,   /* the frame is complete and its checksum matches; the next call starts another */
    DECODED_BROKEN /* with an error */
};
enum decoded decoder_run(struct decoder *decoder, struct decoder_io *io, struct olv_error *err);
/* Forgets a frame in progress. */
void decoder_reset(struct decoder *decoder);
/* The lengths of the frame at `in` and of its contents by its own header, which may lie. False if it does not
 * say, or needs more than `len` bytes. */
bool decoder_frame_lengths(const struct decoder *decoder, const uint8_t *in, size_t len, size_t *frame_len,
                           size_t *plain_len);
/* Decodes exactly one frame that fits into `room` bytes: the number of bytes, or -1 if it is not one frame,
 * is damaged, or does not fit. */
long decoder_frame(struct decoder *decoder, const void *frame, size_t len, void *out, size_t room);

#endif
