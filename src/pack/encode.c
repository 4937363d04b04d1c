/* SPDX-License-Identifier: Apache-2.0 */
/* Our gzip members state their length in the extra field (docs/formats/archive.md), so that the next one is
 * found without decoding; RFC 1952 reserves that field, and readers skip it. */
#include "pack/codec.h"

#include "base/bytes.h"
#include "pack/gzip.h"

#include <bzlib.h>
#include <libdeflate.h>
#include <lzma.h>
#include <stdlib.h>
#include <string.h>
#include <zstd.h>

struct encoder {
    enum olv_codec codec;
    int level;
    struct libdeflate_compressor *deflate;
    ZSTD_CCtx *zstd;
};

struct encoder *encoder_new(enum olv_codec codec, int level)
{
    struct encoder *e = calloc(1, sizeof *e);
    if (!e)
        return NULL;
    e->codec = codec;
    e->level = level;
    if (codec == OLV_CODEC_GZIP)
        e->deflate = libdeflate_alloc_compressor(level);
    if (codec == OLV_CODEC_ZSTD)
        e->zstd = ZSTD_createCCtx();
    if ((codec == OLV_CODEC_GZIP && !e->deflate) || (codec == OLV_CODEC_ZSTD && !e->zstd)) {
        encoder_free(e);
        return NULL;
    }
    if (e->zstd) {
        ZSTD_CCtx_setParameter(e->zstd, ZSTD_c_compressionLevel, level);
        ZSTD_CCtx_setParameter(e->zstd, ZSTD_c_checksumFlag, 1);
    }
    return e;
}

void encoder_free(struct encoder *e)
{
    if (!e)
        return;
    libdeflate_free_compressor(e->deflate);
    ZSTD_freeCCtx(e->zstd);
    free(e);
}

size_t encoder_bound(const struct encoder *e, size_t len)
{
    switch (e->codec) {
    case OLV_CODEC_GZIP:
        return GZIP_HEADER + GZIP_TRAILER + libdeflate_deflate_compress_bound(e->deflate, len);
    case OLV_CODEC_BZIP2:
        return len + len / 100 + 600; /* by its manual, 3.5.1 */
    case OLV_CODEC_XZ:
        return lzma_stream_buffer_bound(len);
    case OLV_CODEC_ZSTD:
        return ZSTD_compressBound(len);
    default:
        return len;
    }
}

static size_t gzip(struct encoder *e, const void *plain, size_t len, uint8_t *out, size_t room)
{
    size_t packed, whole;
    if (room < GZIP_HEADER + GZIP_TRAILER)
        return 0;
    packed = libdeflate_deflate_compress(e->deflate, plain, len, out + GZIP_HEADER,
                                         room - GZIP_HEADER - GZIP_TRAILER);
    whole = GZIP_HEADER + packed + GZIP_TRAILER;
    if (packed == 0)
        return 0;
    gzip_put_header(out, (uint32_t)whole, (uint32_t)len);
    bytes_put32(out + whole - 8, libdeflate_crc32(0, plain, len));
    bytes_put32(out + whole - 4, (uint32_t)len);
    return whole;
}

static size_t bzip2(const struct encoder *e, const void *plain, size_t len, void *out, size_t room)
{
    enum { WORK_FACTOR = 0 /* the library's default */ };
    unsigned n = (unsigned)room;
    char *from = (char *)(uintptr_t)plain; /* it only reads, despite its prototype */
    return BZ2_bzBuffToBuffCompress(out, &n, from, (unsigned)len, e->level, 0, WORK_FACTOR) == BZ_OK ? n : 0;
}

static size_t xz(const struct encoder *e, const void *plain, size_t len, void *out, size_t room)
{
    size_t n = 0;
    lzma_ret ret =
        lzma_easy_buffer_encode((uint32_t)e->level, LZMA_CHECK_CRC64, NULL, plain, len, out, &n, room);
    return ret == LZMA_OK ? n : 0;
}

size_t encoder_run(struct encoder *e, const void *plain, size_t len, void *out, size_t room)
{
    size_t n;
    switch (e->codec) {
    case OLV_CODEC_GZIP:
        return gzip(e, plain, len, out, room);
    case OLV_CODEC_BZIP2:
        return bzip2(e, plain, len, out, room);
    case OLV_CODEC_XZ:
        return xz(e, plain, len, out, room);
    case OLV_CODEC_ZSTD:
        n = ZSTD_compress2(e->zstd, out, room, plain, len);
        return ZSTD_isError(n) ? 0 : n;
    default:
        memcpy(out, plain, len);
        return len;
    }
}
