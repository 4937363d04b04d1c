/* SPDX-License-Identifier: Apache-2.0 */
/* A frame that starts with a header is the first of a member; any other continues one. A part of a large
 * member ends with an empty stored block, which deflate produces nowhere else. */
#include "pack/zip_frame.h"

#include "base/bytes.h"
#include "pack/tar.h"
#include "pack/zip_parts.h"

#include <libdeflate.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <zlib.h>

enum { MAGIC = 4, LARGEST_STEP = 1 << 30 };

enum state {
    AT_START,      /* examining the first bytes */
    IN_HEADER,     /* reading the header */
    IN_TAR_HEADER, /* returning the tar header */
    IN_PASSED,     /* data outside the plain bytes: a link's */
    IN_DATA,
    IN_DESCRIPTOR,
    IN_PADDING,
    AT_END
};

struct zip_decoder {
    enum state state;
    struct olv_text held; /* input that is needed as a whole */
    size_t fed;           /* how much of it went to the data */
    struct olv_text header;
    size_t given;  /* of the tar header */
    uint64_t left; /* packed bytes of the data; unknown for a large member */
    uint64_t padding;
    bool is_large, is_inflating;
    uint32_t crc, crc_said, plain_said;
    uint64_t plain, block_began; /* plain bytes of the data so far, and at the start of its last block */
    z_stream inflate;
};

struct zip_decoder *zip_decoder_new(void)
{
    return calloc(1, sizeof(struct zip_decoder));
}

void zip_decoder_reset(struct zip_decoder *d)
{
    if (d->is_inflating)
        inflateEnd(&d->inflate);
    d->is_inflating = false;
    d->state = AT_START;
    d->fed = d->given = 0;
    d->left = d->padding = d->plain = d->block_began = 0;
    d->is_large = false;
    d->crc = 0;
    olv_text_clear(&d->held);
    olv_text_clear(&d->header);
}

void zip_decoder_free(struct zip_decoder *d)
{
    if (!d)
        return;
    zip_decoder_reset(d);
    olv_text_free(&d->held);
    olv_text_free(&d->header);
    free(d);
}

static bool zip_decode_damaged(struct olv_error *err, const char *why)
{
    return olv_fail(err, OLV_BROKEN, "the zip data is damaged: %s", why);
}

/* Reads input until this much is held. */
static bool fetch_ahead(struct zip_decoder *d, struct decoder_io *io, size_t wanted)
{
    size_t n = wanted - d->held.len;
    if (n > io->in_len)
        n = io->in_len;
    olv_text_add(&d->held, io->in, n);
    io->in += n;
    io->in_len -= n;
    return d->held.len == wanted && !d->held.failed;
}

static bool begin_data(struct zip_decoder *d, struct olv_error *err)
{
    d->inflate = (z_stream){0};
    if (inflateInit2(&d->inflate, -15 /* raw deflate */) != Z_OK)
        return olv_fail_memory(err);
    d->is_inflating = true;
    d->state = IN_DATA;
    return true;
}

/* ---- the header ---- */

static bool start(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    if (!fetch_ahead(d, io, MAGIC))
        return !d->held.failed || olv_fail_memory(err);
    d->state = IN_HEADER;
    if (bytes_get32((const uint8_t *)d->held.data) == ZIP_LOCAL_MAGIC)
        return true;
    d->is_large = true;
    return begin_data(d, err);
}

static bool read_header(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    struct zip_local l;
    size_t length = d->held.len >= ZIP_LOCAL ? zip_local_length((const uint8_t *)d->held.data) : ZIP_LOCAL;
    if (!fetch_ahead(d, io, length))
        return !d->held.failed || olv_fail_memory(err);
    if (length == ZIP_LOCAL && zip_local_length((const uint8_t *)d->held.data) > ZIP_LOCAL)
        return true;
    if (!zip_local_read((const uint8_t *)d->held.data, d->held.len, &l) || !zip_local_header(&l, &d->header))
        return zip_decode_damaged(err, "the header of a member");
    d->is_large = l.flags & ZIP_HAS_DESCRIPTOR;
    d->left = l.packed_length;
    d->crc_said = l.crc;
    d->plain_said = l.plain_length;
    d->fed = d->held.len;
    d->state = IN_TAR_HEADER;
    if (d->is_large ? l.method != ZIP_DEFLATED || !S_ISREG(l.mode)
                    : S_ISREG(l.mode) && l.method != ZIP_DEFLATED && l.packed_length)
        return zip_decode_damaged(err, "the header of a member");
    if (!S_ISREG(l.mode))
        d->plain_said = 0;
    return true;
}

static bool give_header(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    size_t n = d->header.len - d->given;
    if (n > io->out_len)
        n = io->out_len;
    memcpy(io->out, olv_text_string(&d->header) + d->given, n);
    io->out += n;
    io->out_len -= n;
    d->given += n;
    if (d->given < d->header.len)
        return true;
    d->state = IN_PASSED;
    return d->is_large || d->plain_said ? begin_data(d, err) : true;
}

static void zip_decode_pass_over(struct zip_decoder *d, struct decoder_io *io)
{
    size_t n = d->left < io->in_len ? (size_t)d->left : io->in_len;
    io->in += n;
    io->in_len -= n;
    d->left -= n;
    if (d->left == 0)
        d->state = AT_END;
}

/* ---- the data ---- */

static bool end_data(struct zip_decoder *d, struct olv_error *err)
{
    inflateEnd(&d->inflate);
    d->is_inflating = false;
    olv_text_clear(&d->held);
    d->state = d->is_large ? IN_DESCRIPTOR : IN_PADDING;
    d->padding = tar_padding(d->plain);
    if (!d->is_large && (d->left || d->crc != d->crc_said || d->plain != d->plain_said))
        return zip_decode_damaged(err, "a checksum is wrong");
    return true;
}

/* The library's next input: held bytes first. */
static size_t offer(const struct zip_decoder *d, const struct decoder_io *io, const uint8_t **bytes)
{
    size_t held = d->held.len - d->fed, len = held ? held : io->in_len;
    *bytes = held ? (const uint8_t *)d->held.data + d->fed : io->in;
    if (!d->is_large && len > d->left)
        len = (size_t)d->left;
    return len < LARGEST_STEP ? len : LARGEST_STEP;
}

static void zip_decode_take(struct zip_decoder *d, struct decoder_io *io, size_t used)
{
    d->left -= d->is_large ? 0 : used;
    if (d->held.len > d->fed) {
        d->fed += used;
        return;
    }
    io->in += used;
    io->in_len -= used;
}

/* Whether an empty stored block has just ended. */
static bool is_end_of_part(struct zip_decoder *d)
{
    enum { UNUSED_BITS = 63, LAST_BLOCK = 64, END_OF_BLOCK = 128 };
    int type = d->inflate.data_type;
    bool is_empty = d->plain == d->block_began;
    if (!d->is_large || !(type & END_OF_BLOCK) || type & LAST_BLOCK)
        return false;
    d->block_began = d->plain;
    return is_empty && !(type & UNUSED_BITS);
}

static bool inflate_some(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    z_stream *z = &d->inflate;
    const uint8_t *in;
    size_t len = offer(d, io, &in), got;
    int ret;
    z->next_in = (Bytef *)(uintptr_t)in;
    z->avail_in = (uInt)len;
    z->next_out = io->out;
    z->avail_out = (uInt)(io->out_len < LARGEST_STEP ? io->out_len : LARGEST_STEP);
    ret = inflate(z, d->is_large ? Z_BLOCK : Z_NO_FLUSH);
    zip_decode_take(d, io, len - z->avail_in);
    got = (size_t)(z->next_out - io->out);
    if (!d->is_large)
        d->crc = libdeflate_crc32(d->crc, io->out, got);
    d->plain += got;
    io->out += got;
    io->out_len -= got;
    if (ret == Z_MEM_ERROR)
        return olv_fail_memory(err);
    if (ret == Z_STREAM_END)
        return end_data(d, err);
    if (ret != Z_OK && ret != Z_BUF_ERROR)
        return zip_decode_damaged(err, z->msg ? z->msg : "it makes no sense");
    if (!d->is_large && d->left == 0 && got == 0 && io->out_len)
        return zip_decode_damaged(err, "a member's data ends too early");
    if (is_end_of_part(d))
        d->state = d->fed < d->held.len ? IN_DATA : AT_END;
    return true;
}

static bool read_descriptor(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    const uint8_t *bytes;
    if (!fetch_ahead(d, io, ZIP_DESCRIPTOR))
        return !d->held.failed || olv_fail_memory(err);
    bytes = (const uint8_t *)d->held.data;
    if (bytes_get32(bytes) != ZIP_DESCRIPTOR_MAGIC)
        return zip_decode_damaged(err, "the lengths after a member");
    d->padding = tar_padding(bytes_get64(bytes + 16));
    d->state = IN_PADDING;
    return true;
}

static void pad(struct zip_decoder *d, struct decoder_io *io)
{
    size_t n = d->padding < io->out_len ? (size_t)d->padding : io->out_len;
    if (n)
        memset(io->out, 0, n);
    io->out += n;
    io->out_len -= n;
    d->padding -= n;
    if (d->padding == 0)
        d->state = AT_END;
}

/* ---- */

static bool zip_decode_step(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    switch (d->state) {
    case AT_START:
        return start(d, io, err);
    case IN_HEADER:
        return read_header(d, io, err);
    case IN_TAR_HEADER:
        return give_header(d, io, err);
    case IN_PASSED:
        zip_decode_pass_over(d, io);
        return true;
    case IN_DATA:
        return inflate_some(d, io, err);
    case IN_DESCRIPTOR:
        return read_descriptor(d, io, err);
    default:
        pad(d, io);
        return true;
    }
}

enum decoded zip_decode(struct zip_decoder *d, struct decoder_io *io, struct olv_error *err)
{
    for (;;) {
        size_t in = io->in_len, out = io->out_len, fed = d->fed;
        enum state before = d->state;
        if (!zip_decode_step(d, io, err))
            return DECODED_BROKEN;
        if (d->state == AT_END)
            return DECODED_END;
        if (before == d->state && in == io->in_len && out == io->out_len && fed == d->fed)
            return DECODED_MORE;
    }
}
