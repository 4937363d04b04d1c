/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/frame_reader.h"

#include <stdlib.h>
#include <string.h>

/* Our frames have little more than FRAME_BYTES; a hostile one could have any number. */
enum { LARGEST_PLAIN = 32 << 20, STEP = 256 << 10 };

struct frame_reader {
    struct decoder *decoder;
    uint8_t packed[STEP];
};

struct frame_reader *frame_reader_new(enum olv_codec codec)
{
    struct frame_reader *r = calloc(1, sizeof *r);
    if (r && !(r->decoder = decoder_new(codec))) {
        free(r);
        return NULL;
    }
    return r;
}

void frame_reader_free(struct frame_reader *r)
{
    if (!r)
        return;
    decoder_free(r->decoder);
    free(r);
}

/* The packed bytes from `next` on, as many as fit. */
static bool frame_reader_refill(struct frame_reader *r, const struct pack_source *source, uint64_t next,
                                struct decoder_io *io, struct olv_error *err)
{
    uint64_t left = next < source->size ? source->size - next : 0;
    io->in = r->packed;
    io->in_len = left < STEP ? (size_t)left : STEP;
    return pack_read(source, r->packed, io->in_len, next, err);
}

static bool decode(struct frame_reader *r, const struct pack_source *source, uint64_t at,
                   struct olv_text *plain, uint64_t *length, struct olv_error *err)
{
    struct decoder_io io = {.in = NULL};
    uint64_t next = at;
    for (;;) {
        enum decoded now;
        size_t before, room;
        if (io.in_len == 0) {
            if (!frame_reader_refill(r, source, next, &io, err))
                return false;
            next += io.in_len;
        }
        if (plain->len + STEP > LARGEST_PLAIN)
            return olv_fail(err, OLV_BROKEN, "a frame is larger than any of ours");
        if (!olv_text_room(plain, STEP))
            return olv_fail_memory(err);
        before = io.in_len;
        room = plain->cap - plain->len - 1;
        io.out = (uint8_t *)plain->data + plain->len;
        io.out_len = room;
        now = decoder_run(r->decoder, &io, err);
        plain->len += room - io.out_len;
        if (now == DECODED_BROKEN)
            return false;
        *length = next - io.in_len - at;
        if (now == DECODED_END)
            return true;
        if (io.in_len == before && io.out_len == room && next >= source->size)
            return olv_fail(err, OLV_BROKEN, "it ends too early");
    }
}

bool frame_reader_read(struct frame_reader *r, const struct pack_source *source, uint64_t at,
                       struct olv_text *plain, uint64_t *length, struct olv_error *err)
{
    olv_text_clear(plain);
    if (decode(r, source, at, plain, length, err))
        return true;
    decoder_reset(r->decoder);
    return false;
}

/* ---- looking for one ---- */

enum { WINDOW = 1 << 20 };

/* In a part of the source; NULL if it is not there. */
static const uint8_t *find_mark(const uint8_t *from, const uint8_t *end, enum olv_codec codec)
{
    int first = codec_first_byte(codec);
    const uint8_t *place = from;
    while ((place = memchr(place, first, (size_t)(end - place)))) {
        if (codec_begins(codec, place, (size_t)(end - place)))
            return place;
        place++;
    }
    return NULL;
}

bool frame_find(const struct pack_source *source, enum olv_codec codec, uint64_t from, uint64_t *at,
                struct olv_error *err)
{
    uint8_t *window = malloc(WINDOW + CODEC_MARK);
    bool ok = true;
    *at = source->size;
    if (!window)
        return olv_fail_memory(err);
    for (uint64_t begin = from; ok && *at == source->size && begin < source->size; begin += WINDOW) {
        uint64_t left = source->size - begin;
        size_t len = left < WINDOW + CODEC_MARK ? (size_t)left : WINDOW + CODEC_MARK;
        const uint8_t *mark;
        ok = pack_read(source, window, len, begin, err);
        mark = ok ? find_mark(window, window + len, codec) : NULL;
        if (mark)
            *at = begin + (uint64_t)(mark - window);
    }
    free(window);
    return ok;
}
