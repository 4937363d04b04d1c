/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/vault.h"

#include "olvido/text.h"
#include "pack/codec.h"
#include "pack/frames.h"

#include <errno.h>
#include <stdlib.h>
#include <unistd.h>

/* A frame of ours has hardly more plain bytes than FRAME_BYTES; a hostile one could have any number. */
enum { LARGEST_PLAIN = 32 << 20, STEP = 256 << 10 };

struct vault {
    int fd; /* of the archive under way; borrowed */
    enum olv_codec codec;
    struct decoder *decoder;
    enum olv_codec decodes;
    bool has_frame;
    uint64_t identity, begins; /* of the frame in `plain` */
    uint64_t ends;             /* where the next one begins */
    struct olv_text plain;
    uint8_t packed[STEP];
    size_t within;
    bool is_given; /* the frame in `plain` was handed to the reader */
    struct byte_stream stream;
    struct tar_reader *reader;
};

/* ---- frames ---- */

static bool read_some(const struct vault *v, uint64_t at, void *out, size_t room, size_t *got,
                      struct olv_error *err)
{
    ssize_t n;
    do
        n = pread(v->fd, out, room, (off_t)at);
    while (n < 0 && errno == EINTR);
    *got = n > 0 ? (size_t)n : 0;
    return n >= 0 || olv_fail_system(err, "", "cannot read the archive");
}

static bool have_decoder(struct vault *v, struct olv_error *err)
{
    if (v->decoder && v->decodes == v->codec)
        return true;
    decoder_free(v->decoder);
    v->decodes = v->codec;
    v->decoder = decoder_new(v->codec);
    return v->decoder || olv_fail_memory(err);
}

/* Without a codec a frame is just the next bytes. */
static bool read_plain(struct vault *v, uint64_t at, struct olv_error *err)
{
    size_t got;
    char *room = olv_text_room(&v->plain, STEP);
    if (!room)
        return olv_fail_memory(err);
    if (!read_some(v, at, room, STEP, &got, err))
        return false;
    v->plain.len = got;
    v->ends = at + got;
    return true;
}

static bool decode_frame(struct vault *v, uint64_t at, struct olv_error *err)
{
    struct decoder_io io = {.in = NULL};
    uint64_t next = at;
    for (;;) {
        enum decoded now;
        size_t before = io.in_len, room;
        if (io.in_len == 0) {
            if (!read_some(v, next, v->packed, STEP, &io.in_len, err))
                return false;
            io.in = v->packed;
            before = io.in_len;
            next += io.in_len;
        }
        if (v->plain.len + STEP > LARGEST_PLAIN)
            return olv_fail(err, OLV_BROKEN, "a frame of the archive is larger than any of ours");
        if (!olv_text_room(&v->plain, STEP))
            return olv_fail_memory(err);
        room = v->plain.cap - v->plain.len - 1;
        io.out = (uint8_t *)v->plain.data + v->plain.len;
        io.out_len = room;
        now = decoder_run(v->decoder, &io, err);
        v->plain.len += room - io.out_len;
        if (now == DECODED_BROKEN)
            return false;
        v->ends = next - io.in_len;
        if (now == DECODED_END)
            return true;
        if (io.in_len == before && io.out_len == room)
            return olv_fail(err, OLV_BROKEN, "the archive ends too early");
    }
}

static bool load_frame(struct vault *v, uint64_t at, struct olv_error *err)
{
    bool ok;
    olv_text_clear(&v->plain);
    v->has_frame = false;
    if (v->codec == OLV_CODEC_NONE) {
        ok = read_plain(v, at, err);
    } else {
        ok = have_decoder(v, err) && decode_frame(v, at, err);
        if (!ok && v->decoder)
            decoder_reset(v->decoder);
    }
    v->begins = at;
    v->has_frame = ok;
    return ok;
}

/* ---- the reader's bytes ---- */

static bool next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct vault *v = self;
    if (v->is_given) {
        if (!load_frame(v, v->ends, err))
            return false;
        v->within = 0;
    }
    v->is_given = true;
    *bytes = (const uint8_t *)olv_text_string(&v->plain) + v->within;
    *len = v->plain.len - v->within;
    return true;
}

struct vault *vault_new(void)
{
    struct vault *v = calloc(1, sizeof *v);
    if (v)
        v->stream = (struct byte_stream){v, next_bytes};
    return v;
}

void vault_free(struct vault *v)
{
    if (!v)
        return;
    tar_reader_free(v->reader);
    decoder_free(v->decoder);
    olv_text_free(&v->plain);
    free(v);
}

struct tar_reader *vault_open(struct vault *v, const struct vault_place *place, struct olv_member *member,
                              struct olv_error *err)
{
    bool is_plain = place->codec == OLV_CODEC_NONE;
    uint64_t begins = place->begins + (is_plain ? place->within : 0);
    bool is_same = v->has_frame && v->identity == place->identity && v->begins == begins;
    v->fd = place->fd;
    v->codec = place->codec;
    tar_reader_free(v->reader);
    v->reader = NULL;
    if (!is_same && !load_frame(v, begins, err))
        return NULL;
    v->identity = place->identity;
    v->within = is_plain ? 0 : (size_t)place->within;
    v->is_given = false;
    if (v->within <= v->plain.len && (v->reader = tar_reader_new(&v->stream, 0)) &&
        tar_next(v->reader, member, err))
        return v->reader;
    if (err->code == OLV_OK)
        olv_fail(err, OLV_BROKEN, "the archive is not what the catalogue says");
    return NULL;
}
