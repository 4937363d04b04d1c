/* SPDX-License-Identifier: Apache-2.0 */
/* Finds frames without decoding, in each format's own way: our gzip members state their length, xz streams
 * state it at their end, zstd has a seek table, and a bzip2 stream begins with ten bytes that hardly occur by
 * chance. Small frames are joined into one piece. */
#include "pack/split.h"

#include "base/grow.h"
#include "pack/frame_reader.h"
#include "pack/frames.h"
#include "pack/gzip.h"

#include <lzma.h>
#include <stdlib.h>

enum { PIECE_PACKED = 256 << 10, PIECE_PLAIN = FRAME_BYTES, PIECE_UNKNOWN = 64 << 10 };

struct splitting {
    const struct pack_source *source;
    struct pieces *out;
    uint64_t plain; /* bytes in the last piece so far, if known */
    struct olv_error *err;
};

void pieces_free(struct pieces *pieces)
{
    free(pieces->items);
    *pieces = (struct pieces){0};
}

static bool split_add(struct splitting *s, uint64_t at, uint64_t length)
{
    struct pieces *p = s->out;
    if (!grow(&p->items, p->count, &p->cap, sizeof *p->items))
        return olv_fail_memory(s->err);
    p->items[p->count++] = (struct piece){at, length};
    return true;
}

/* Adds a frame to the last piece while that is small, or as a new one. */
static bool add_frame(struct splitting *s, uint64_t length, uint64_t plain)
{
    struct piece *last = s->out->count ? &s->out->items[s->out->count - 1] : NULL;
    uint64_t at = last ? last->at + last->length : 0;
    if (length == 0) /* only a forged table says so */
        return true;
    if (last && last->length + length <= PIECE_PACKED && s->plain + plain <= PIECE_PLAIN) {
        last->length += length;
        s->plain += plain;
        return true;
    }
    s->plain = plain;
    return split_add(s, at, length);
}

/* Adds what has no recognised frames. */
static bool add_rest(struct splitting *s, uint64_t at)
{
    return at >= s->source->size || split_add(s, at, s->source->size - at);
}

static uint64_t covered(const struct splitting *s)
{
    const struct pieces *p = s->out;
    return p->count ? p->items[p->count - 1].at + p->items[p->count - 1].length : 0;
}

static bool split_gzip(struct splitting *s)
{
    uint8_t head[GZIP_HEADER] = {0};
    uint32_t length = 0, plain = 0;
    struct olv_error ignored = {0};
    uint64_t at = 0;
    while (s->source->size - at >= GZIP_HEADER && pack_read(s->source, head, sizeof head, at, &ignored) &&
           gzip_get_header(head, sizeof head, &length, &plain) && length <= s->source->size - at) {
        if (!add_frame(s, length, plain))
            return false;
        at += length;
    }
    return add_rest(s, at);
}

static bool split_zstd(struct splitting *s)
{
    struct frame_list list = {0};
    bool ok = true;
    if (seek_table_get(s->source, &list))
        for (size_t i = 0; ok && i < list.count; i++)
            ok = add_frame(s, list.items[i].length, list.items[i].plain_length);
    frame_list_free(&list);
    return ok && add_rest(s, covered(s));
}

/* By its mark. */
static bool split_bzip2(struct splitting *s)
{
    uint64_t begin = 0, at = 0, size = s->source->size;
    bool ok = true;
    while (ok && begin + PIECE_UNKNOWN < size &&
           (ok = frame_find(s->source, OLV_CODEC_BZIP2, begin + PIECE_UNKNOWN, &at, s->err)) && at < size) {
        ok = split_add(s, begin, at - begin);
        begin = at;
    }
    return ok && add_rest(s, begin);
}

/* ---- xz: from the end of the file, stream by stream ---- */

struct xz_stream {
    uint64_t length, plain;
};

/* The stream that ends at `end`. False if none does. */
static bool read_xz_stream(const struct pack_source *source, uint64_t end, struct xz_stream *out)
{
    enum { LARGEST_INDEX = 1 << 20 };
    uint8_t footer[LZMA_STREAM_HEADER_SIZE] = {0}, *bytes;
    struct olv_error ignored = {0};
    lzma_stream_flags flags;
    lzma_index *index = NULL;
    uint64_t memory = 64 << 20;
    size_t used = 0, size;
    bool ok;
    if (end < 2 * sizeof footer || !pack_read(source, footer, sizeof footer, end - sizeof footer, &ignored) ||
        lzma_stream_footer_decode(&flags, footer) != LZMA_OK || flags.backward_size > LARGEST_INDEX ||
        flags.backward_size > end - 2 * sizeof footer)
        return false;
    size = (size_t)flags.backward_size;
    bytes = malloc(size);
    ok = bytes && pack_read(source, bytes, size, end - sizeof footer - size, &ignored) &&
         lzma_index_buffer_decode(&index, &memory, NULL, bytes, &used, size) == LZMA_OK;
    if (ok) {
        out->length = lzma_index_stream_size(index);
        out->plain = lzma_index_uncompressed_size(index);
        lzma_index_end(index, NULL);
        ok = out->length <= end;
    }
    free(bytes);
    return ok;
}

static bool split_xz(struct splitting *s)
{
    struct frame_list streams = {0};
    struct xz_stream stream;
    uint64_t end = s->source->size;
    bool ok = true;
    while (end > 0 && read_xz_stream(s->source, end, &stream) && stream.length <= UINT32_MAX &&
           stream.plain <= UINT32_MAX) {
        end -= stream.length;
        if (!frame_list_add(&streams, (struct frame){.at = end,
                                                     .length = (uint32_t)stream.length,
                                                     .plain_length = (uint32_t)stream.plain})) {
            ok = olv_fail_memory(s->err);
            break;
        }
    }
    if (end == 0)
        for (size_t i = streams.count; ok && i-- > 0;)
            ok = add_frame(s, streams.items[i].length, streams.items[i].plain_length);
    frame_list_free(&streams);
    return ok && add_rest(s, covered(s));
}

bool split_frames(const struct pack_source *source, enum olv_codec codec, struct pieces *out,
                  struct olv_error *err)
{
    struct splitting s = {.source = source, .out = out, .err = err};
    switch (codec) {
    case OLV_CODEC_GZIP:
        return split_gzip(&s);
    case OLV_CODEC_BZIP2:
        return split_bzip2(&s);
    case OLV_CODEC_XZ:
        return split_xz(&s);
    case OLV_CODEC_ZSTD:
        return split_zstd(&s);
    default:
        return add_rest(&s, 0);
    }
}
