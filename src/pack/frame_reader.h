/* SPDX-License-Identifier: Apache-2.0 */
/* Frames of a packed file whose lengths nobody has told, one at a time and anywhere. */
#ifndef OLV_PACK_FRAME_READER_H
#define OLV_PACK_FRAME_READER_H

#include "olvido/text.h"
#include "pack/codec.h"
#include "pack/source.h"

struct frame_reader;
struct frame_reader *frame_reader_new(enum olv_codec codec); /* NULL without memory; not for OLV_CODEC_NONE */
void frame_reader_free(struct frame_reader *reader);
/* Decodes the frame that begins at `at` into `plain`, which is cleared first, and tells how long it is
 * packed. One to be skipped has no plain bytes. Frames of one large member of a zip archive are read in their
 * order. False with OLV_BROKEN where it is damaged, cut short, or larger than any of ours. */
bool frame_reader_read(struct frame_reader *reader, const struct pack_source *source, uint64_t at,
                       struct olv_text *plain, uint64_t *length, struct olv_error *err);

/* Where, from `from` on, the mark stands with which frames of the format begin; the end of the source where
 * it does not. It may be there by chance: a frame is believed only when it was decoded. */
bool frame_find(const struct pack_source *source, enum olv_codec codec, uint64_t from, uint64_t *at,
                struct olv_error *err);

#endif
