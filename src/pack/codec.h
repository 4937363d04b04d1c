/* SPDX-License-Identifier: Apache-2.0 */
/* Bytes into frames, and frames into bytes. A frame is what each format calls a piece that stands for itself:
 * a gzip member, a bzip2 stream, an xz stream, a zstd frame. Files are frames one behind the other, which
 * every reader of the format accepts. */
#ifndef OLV_PACK_CODEC_H
#define OLV_PACK_CODEC_H

#include "olvido/codec.h"
#include "olvido/error.h"

/* Bytes enough for codec_detect. */
enum { CODEC_HEAD = 6 };
/* By its first bytes; OLV_CODEC_NONE where they are none of the formats'. */
enum olv_codec codec_detect(const uint8_t *head, size_t len);

/* Bytes enough for codec_begins. */
enum { CODEC_MARK = 10 };
/* Whether these may be the first bytes of a frame with contents: stricter than codec_detect, for where frames
 * are looked for among other bytes. Of a zip archive: of a member. */
bool codec_begins(enum olv_codec codec, const uint8_t *mark, size_t len);
int codec_first_byte(enum olv_codec codec);

/* ---- encoding: one frame at a time, in memory ---- */

/* Each belongs to one thread at a time. */
struct encoder;
struct encoder *encoder_new(enum olv_codec codec, int level); /* NULL without memory */
void encoder_free(struct encoder *encoder);
/* Room that a frame of so many bytes may take at most. */
size_t encoder_bound(const struct encoder *encoder, size_t plain_len);
/* Returns the length of the frame in `out`, which has room for encoder_bound; 0 without memory. At most 1 GiB
 * goes into a frame. */
size_t encoder_run(struct encoder *encoder, const void *plain, size_t plain_len, void *out, size_t room);

/* ---- decoding, frame by frame, as the bytes come ---- */

struct decoder;
struct decoder *decoder_new(enum olv_codec codec); /* NULL without memory; not for OLV_CODEC_NONE */
void decoder_free(struct decoder *decoder);

struct decoder_io {
    const uint8_t *in;
    size_t in_len; /* both move on over what was used */
    uint8_t *out;
    size_t out_len; /* room; both move on over what was filled */
};

enum decoded {
    DECODED_MORE,  /* in the midst of a frame: more input, or more room, is needed */
    DECODED_END,   /* the frame is complete and its checksum right; the next call begins another */
    DECODED_BROKEN /* with an error */
};
enum decoded decoder_run(struct decoder *decoder, struct decoder_io *io, struct olv_error *err);
/* Forgets a frame under way. */
void decoder_reset(struct decoder *decoder);
/* What the frame at `in` says of its own length and of that of its contents, which may not be true. False
 * where it does not say, or `len` bytes do not hold it. */
bool decoder_frame_lengths(const struct decoder *decoder, const uint8_t *in, size_t len, size_t *frame_len,
                           size_t *plain_len);
/* Decodes exactly one frame that fits into `room` bytes: the number of bytes, or -1 when it is not one frame,
 * is damaged, or does not fit. */
long decoder_frame(struct decoder *decoder, const void *frame, size_t len, void *out, size_t room);

#endif
