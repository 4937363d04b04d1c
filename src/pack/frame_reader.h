/* SPDX-License-Identifier: Apache-2.0 */
/* Reads frames of unknown length, one at a time and anywhere in a packed file. */
#ifndef OLV_PACK_FRAME_READER_H
#define OLV_PACK_FRAME_READER_H

#include "olvido/text.h"
#include "pack/codec.h"
#include "pack/source.h"

struct frame_reader;
struct frame_reader *frame_reader_new(enum olv_codec codec); /* NULL without memory; not for OLV_CODEC_NONE */
void frame_reader_free(struct frame_reader *reader);
/* Decodes the frame at `at` into `plain`, after clearing that, and returns its packed length. A skippable
 * frame has no plain bytes. Frames of one large member of a zip archive must be read in order. False with
 * OLV_BROKEN if it is damaged, truncated, or larger than any of ours. */
bool frame_reader_read(struct frame_reader *reader, const struct pack_source *source, uint64_t at,
                       struct olv_text *plain, uint64_t *length, struct olv_error *err);

/* The first place from `from` on that has the format's frame mark; the end of the source if there is none.
 * The mark may be there by chance: a frame counts only once it is decoded. */
bool frame_find(const struct pack_source *source, enum olv_codec codec, uint64_t from, uint64_t *at,
                struct olv_error *err);

#endif
