/* SPDX-License-Identifier: Apache-2.0 */
/* A driver for each library, with the same interface. Each stops at the end of a frame, so that what follows
 * is examined before it is decoded. */
#include "pack/codec.h"

#include "pack/gzip.h"
#include "pack/zip_frame.h"

#include <bzlib.h>
#include <libdeflate.h>
#include <lzma.h>
#include <stdlib.h>
#include <zlib.h>
#include <zstd.h>

/* A hostile header may ask for a window of any size; these limits are those of the formats' own tools. */
enum { XZ_MEMORY = 512 << 20, ZSTD_WINDOW_LOG = 27, LARGEST_STEP = 1 << 30 };

struct decoder {
    enum olv_codec codec;
    bool is_open; /* inside a frame */
    z_stream gzip;
    bz_stream bzip2;
    lzma_stream xz;
    ZSTD_DCtx *zstd;
    struct libdeflate_decompressor *deflate;
    struct zip_decoder *zip;
};

struct decoder *decoder_new(enum olv_codec codec)
{
    struct decoder *d = calloc(1, sizeof *d);
    bool ok = true;
    if (!d)
        return NULL;
    d->codec = codec;
    if (codec == OLV_CODEC_GZIP) {
        d->deflate = libdeflate_alloc_decompressor();
        ok = d->deflate && inflateInit2(&d->gzip, 15 + 16 /* a gzip header is expected */) == Z_OK;
    } else if (codec == OLV_CODEC_ZSTD) {
        d->zstd = ZSTD_createDCtx();
        ok = d->zstd && !ZSTD_isError(ZSTD_DCtx_setParameter(d->zstd, ZSTD_d_windowLogMax, ZSTD_WINDOW_LOG));
    }
    if (codec == OLV_CODEC_ZIP)
        ok = (d->zip = zip_decoder_new()) != NULL;
    if (ok)
        return d;
    decoder_free(d);
    return NULL;
}

void decoder_reset(struct decoder *d)
{
    if (d->codec == OLV_CODEC_GZIP)
        inflateReset(&d->gzip);
    else if (d->codec == OLV_CODEC_ZSTD)
        ZSTD_DCtx_reset(d->zstd, ZSTD_reset_session_only);
    else if (d->codec == OLV_CODEC_BZIP2 && d->is_open)
        BZ2_bzDecompressEnd(&d->bzip2);
    else if (d->codec == OLV_CODEC_XZ)
        lzma_end(&d->xz);
    else if (d->codec == OLV_CODEC_ZIP && d->zip)
        zip_decoder_reset(d->zip);
    d->is_open = false;
}

void decoder_free(struct decoder *d)
{
    if (!d)
        return;
    decoder_reset(d);
    if (d->codec == OLV_CODEC_GZIP)
        inflateEnd(&d->gzip);
    libdeflate_free_decompressor(d->deflate);
    ZSTD_freeDCtx(d->zstd);
    zip_decoder_free(d->zip);
    free(d);
}

/* ---- what went wrong ---- */

static enum decoded broken(const struct decoder *d, struct olv_error *err, const char *why)
{
    olv_fail(err, OLV_BROKEN, "the %s data is damaged: %s", olv_codec_word(d->codec), why);
    return DECODED_BROKEN;
}

static enum decoded out_of_memory(struct olv_error *err)
{
    olv_fail_memory(err);
    return DECODED_BROKEN;
}

static unsigned at_most(size_t len)
{
    return len < LARGEST_STEP ? (unsigned)len : LARGEST_STEP;
}

/* ---- the drivers: each takes as much as it can ---- */

static enum decoded run_gzip(struct decoder *d, struct decoder_io *io, struct olv_error *err)
{
    z_stream *z = &d->gzip;
    int ret;
    z->next_in = (Bytef *)(uintptr_t)io->in;
    z->avail_in = at_most(io->in_len);
    z->next_out = io->out;
    z->avail_out = at_most(io->out_len);
    ret = inflate(z, Z_NO_FLUSH);
    io->in_len -= (size_t)(z->next_in - io->in);
    io->in = z->next_in;
    io->out_len -= (size_t)(z->next_out - io->out);
    io->out = z->next_out;
    if (ret == Z_STREAM_END)
        return DECODED_END;
    if (ret == Z_MEM_ERROR)
        return out_of_memory(err);
    return ret == Z_OK || ret == Z_BUF_ERROR ? DECODED_MORE
                                             : broken(d, err, z->msg ? z->msg : "it makes no sense");
}

static enum decoded run_bzip2(struct decoder *d, struct decoder_io *io, struct olv_error *err)
{
    bz_stream *b = &d->bzip2;
    unsigned in = at_most(io->in_len), out = at_most(io->out_len);
    int ret;
    if (!d->is_open) {
        *b = (bz_stream){0};
        if (BZ2_bzDecompressInit(b, 0, 0) != BZ_OK)
            return out_of_memory(err);
        d->is_open = true;
    }
    b->next_in = (char *)(uintptr_t)io->in;
    b->avail_in = in;
    b->next_out = (char *)io->out;
    b->avail_out = out;
    ret = BZ2_bzDecompress(b);
    io->in += in - b->avail_in;
    io->in_len -= in - b->avail_in;
    io->out += out - b->avail_out;
    io->out_len -= out - b->avail_out;
    if (ret == BZ_STREAM_END)
        return DECODED_END;
    if (ret == BZ_MEM_ERROR)
        return out_of_memory(err);
    return ret == BZ_OK ? DECODED_MORE : broken(d, err, "a checksum is wrong, or it makes no sense");
}

static const char *why_xz(lzma_ret ret)
{
    switch (ret) {
    case LZMA_FORMAT_ERROR:
        return "no xz stream begins here";
    case LZMA_OPTIONS_ERROR:
        return "it needs a filter that is not known here";
    case LZMA_MEMLIMIT_ERROR:
        return "it asks for more than 512 MiB of memory";
    default:
        return "a checksum is wrong, or it makes no sense";
    }
}

static enum decoded run_xz(struct decoder *d, struct decoder_io *io, struct olv_error *err)
{
    lzma_stream *x = &d->xz;
    lzma_ret ret;
    if (!d->is_open) {
        *x = (lzma_stream)LZMA_STREAM_INIT;
        if (lzma_stream_decoder(x, XZ_MEMORY, 0) != LZMA_OK)
            return out_of_memory(err);
        d->is_open = true;
    }
    x->next_in = io->in;
    x->avail_in = io->in_len;
    x->next_out = io->out;
    x->avail_out = io->out_len;
    ret = lzma_code(x, LZMA_RUN);
    io->in = x->next_in;
    io->in_len = x->avail_in;
    io->out = x->next_out;
    io->out_len = x->avail_out;
    if (ret == LZMA_STREAM_END)
        return DECODED_END;
    if (ret == LZMA_MEM_ERROR)
        return out_of_memory(err);
    return ret == LZMA_OK || ret == LZMA_BUF_ERROR ? DECODED_MORE : broken(d, err, why_xz(ret));
}

static enum decoded run_zstd(struct decoder *d, struct decoder_io *io, struct olv_error *err)
{
    ZSTD_inBuffer in = {io->in, io->in_len, 0};
    ZSTD_outBuffer out = {io->out, io->out_len, 0};
    size_t left = ZSTD_decompressStream(d->zstd, &out, &in);
    io->in += in.pos;
    io->in_len -= in.pos;
    io->out += out.pos;
    io->out_len -= out.pos;
    if (ZSTD_isError(left))
        return broken(d, err, ZSTD_getErrorName(left));
    return left == 0 ? DECODED_END : DECODED_MORE;
}

enum decoded decoder_run(struct decoder *d, struct decoder_io *io, struct olv_error *err)
{
    enum decoded now;
    switch (d->codec) {
    case OLV_CODEC_GZIP:
        now = run_gzip(d, io, err);
        break;
    case OLV_CODEC_BZIP2:
        now = run_bzip2(d, io, err);
        break;
    case OLV_CODEC_XZ:
        now = run_xz(d, io, err);
        break;
    case OLV_CODEC_ZIP:
        now = zip_decode(d->zip, io, err);
        break;
    default:
        now = run_zstd(d, io, err);
    }
    if (now != DECODED_MORE)
        decoder_reset(d);
    return now;
}

/* ---- a whole frame at once ---- */

bool decoder_frame_lengths(const struct decoder *d, const uint8_t *in, size_t len, size_t *frame_len,
                           size_t *plain_len)
{
    uint32_t whole, plain;
    unsigned long long content;
    if (d->codec == OLV_CODEC_GZIP) {
        if (!gzip_get_header(in, len, &whole, &plain))
            return false;
        *frame_len = whole;
        *plain_len = plain;
    } else if (d->codec == OLV_CODEC_ZSTD) {
        content = ZSTD_getFrameContentSize(in, len);
        *frame_len = ZSTD_findFrameCompressedSize(in, len);
        if (content == ZSTD_CONTENTSIZE_UNKNOWN || content == ZSTD_CONTENTSIZE_ERROR || content > SIZE_MAX ||
            ZSTD_isError(*frame_len))
            return false;
        *plain_len = (size_t)content;
    } else {
        return false;
    }
    return *frame_len <= len;
}

static long by_steps(struct decoder *d, const void *frame, size_t len, void *out, size_t room)
{
    struct decoder_io io = {frame, len, out, room};
    struct olv_error ignored = {0};
    enum decoded now = DECODED_MORE;
    size_t before;
    do {
        before = io.in_len + io.out_len;
        now = decoder_run(d, &io, &ignored);
    } while (now == DECODED_MORE && io.in_len + io.out_len < before);
    if (now == DECODED_MORE)
        decoder_reset(d);
    return now == DECODED_END && io.in_len == 0 ? (long)(room - io.out_len) : -1;
}

long decoder_frame(struct decoder *d, const void *frame, size_t len, void *out, size_t room)
{
    size_t used = 0, got = 0;
    if (d->codec == OLV_CODEC_GZIP)
        return libdeflate_gzip_decompress_ex(d->deflate, frame, len, out, room, &used, &got) ==
                           LIBDEFLATE_SUCCESS &&
                       used == len
                   ? (long)got
                   : -1;
    if (d->codec != OLV_CODEC_ZSTD || ZSTD_findFrameCompressedSize(frame, len) != len)
        return by_steps(d, frame, len, out, room);
    got = ZSTD_decompressDCtx(d->zstd, out, room, frame, len);
    return ZSTD_isError(got) ? -1 : (long)got;
}
