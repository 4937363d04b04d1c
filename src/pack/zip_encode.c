/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/zip_frame.h"

#include "base/bytes.h"
#include "pack/zip_parts.h"

#include <libdeflate.h>
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

struct zip_encoder {
    struct libdeflate_compressor *whole;
    z_stream part; /* for a large member: this library ends a part where the other cannot */
    bool has_part;
};

struct zip_encoder *zip_encoder_new(int level)
{
    enum { WINDOW = -15 /* raw deflate */, MEMORY = 8 };
    struct zip_encoder *e = calloc(1, sizeof *e);
    if (!e)
        return NULL;
    e->whole = libdeflate_alloc_compressor(level);
    e->has_part =
        e->whole && deflateInit2(&e->part, level, Z_DEFLATED, WINDOW, MEMORY, Z_DEFAULT_STRATEGY) == Z_OK;
    if (e->has_part)
        return e;
    zip_encoder_free(e);
    return NULL;
}

void zip_encoder_free(struct zip_encoder *e)
{
    if (!e)
        return;
    libdeflate_free_compressor(e->whole);
    if (e->has_part)
        deflateEnd(&e->part);
    free(e);
}

/* After the header, which gets the lengths. */
static bool encode_whole(struct zip_encoder *e, struct frame_job *job, const char *data, size_t len)
{
    struct olv_text *out = &job->packed;
    size_t header = out->len, bound = libdeflate_deflate_compress_bound(e->whole, len), packed;
    char *room = olv_text_room(out, bound);
    uint8_t *head;
    if (!room)
        return olv_fail_memory(&job->error);
    packed = libdeflate_deflate_compress(e->whole, data, len, room, bound);
    if (packed == 0)
        return olv_fail_memory(&job->error);
    out->len += packed;
    head = (uint8_t *)out->data;
    bytes_put16(head + 8, ZIP_DEFLATED);
    bytes_put32(head + 14, job->crc);
    bytes_put32(head + 18, (uint32_t)(out->len - header));
    bytes_put32(head + 22, (uint32_t)len);
    return true;
}

static bool encode_part(struct zip_encoder *e, struct frame_job *job, const char *data, size_t len)
{
    enum { FLUSH_ROOM = 64 };
    bool is_last = job->part == FRAME_ENDS;
    z_stream *z = &e->part;
    size_t bound;
    char *room;
    int ret;
    deflateReset(z);
    bound = deflateBound(z, (uLong)len) + FLUSH_ROOM;
    room = olv_text_room(&job->packed, bound + ZIP_DESCRIPTOR);
    if (!room)
        return olv_fail_memory(&job->error);
    z->next_in = (Bytef *)(uintptr_t)data;
    z->avail_in = (uInt)len;
    z->next_out = (Bytef *)room;
    z->avail_out = (uInt)bound;
    ret = deflate(z, is_last ? Z_FINISH : Z_FULL_FLUSH);
    if (ret != (is_last ? Z_STREAM_END : Z_OK) || z->avail_in || z->avail_out == 0)
        return olv_fail(&job->error, OLV_BROKEN, "cannot deflate it");
    job->packed.len += bound - z->avail_out;
    return true;
}

bool zip_encode(struct zip_encoder *e, struct frame_job *job)
{
    const char *data = olv_text_string(&job->plain) + job->data_at;
    olv_text_clear(&job->packed);
    olv_text_add(&job->packed, olv_text_string(&job->head), job->head.len);
    if (job->packed.failed || job->head.failed)
        return olv_fail_memory(&job->error);
    job->crc = libdeflate_crc32(0, data, job->data_len);
    if (job->part == FRAME_WHOLE)
        return job->data_len == 0 || encode_whole(e, job, data, job->data_len);
    return encode_part(e, job, data, job->data_len);
}
