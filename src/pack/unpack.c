/* SPDX-License-Identifier: Apache-2.0 */
/* Workers decode pieces ahead, and they are returned in order. A piece that is not what it seemed (too large,
 * damaged, cut at a false mark) is decoded again as a stream from its start, until a frame ends where a piece
 * begins, or an error is found at its true place. */
#include "pack/unpack.h"

#include "base/crew.h"
#include "base/grow.h"
#include "olvido/text.h"
#include "pack/frames.h"
#include "pack/split.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { SPARE_JOBS = 4, LARGEST_PIECE = 8 << 20, LARGEST_PLAIN = 4 * FRAME_BYTES, STEP = 256 << 10 };

struct unpack_job {
    struct piece piece;
    struct olv_text packed, plain;
    bool is_done; /* otherwise the piece is decoded as a stream */
};

struct unpack {
    const struct pack_source *source;
    enum olv_codec codec;
    unsigned workers;
    struct pieces pieces;
    size_t next; /* next piece for the crew */
    struct crew *crew;
    struct decoder **decoders; /* one per worker */
    struct unpack_job *jobs, *taken;
    unsigned job_count;
    uint64_t position;

    /* As a stream. */
    bool is_streaming, in_frame;
    bool is_doubtful; /* because it should have decoded as a piece */
    struct decoder *stream;
    uint64_t read_at; /* where to read next */
    struct decoder_io io;
    uint8_t *packed, *plain;
};

/* ---- the workers ---- */

/* A frame that states its size is decoded in one step; the slow way finds anything odd about it. */
static bool decode_at_once(struct decoder *d, struct decoder_io *io, struct olv_text *plain)
{
    size_t len, plain_len;
    long got;
    char *room;
    if (!decoder_frame_lengths(d, io->in, io->in_len, &len, &plain_len) ||
        plain_len > LARGEST_PLAIN - plain->len || !(room = olv_text_room(plain, plain_len)))
        return false;
    got = decoder_frame(d, io->in, len, room, plain_len);
    if (got < 0)
        return false;
    plain->len += (size_t)got;
    io->in += len;
    io->in_len -= len;
    return true;
}

/* True when the frame is complete. */
static bool decode_in_steps(struct decoder *d, struct decoder_io *io, struct olv_text *plain)
{
    struct olv_error ignored = {0};
    for (;;) {
        size_t before = io->in_len, room;
        enum decoded now;
        if (plain->len + STEP > LARGEST_PLAIN || !olv_text_room(plain, STEP))
            break;
        room = plain->cap - plain->len - 1;
        io->out = (uint8_t *)plain->data + plain->len;
        io->out_len = room;
        now = decoder_run(d, io, &ignored);
        plain->len += room - io->out_len;
        if (now == DECODED_END)
            return true;
        if (now == DECODED_BROKEN || (before == io->in_len && io->out_len == room))
            break;
    }
    decoder_reset(d);
    return false;
}

/* Frame after frame, until the piece is used up exactly. */
static bool decode_frames(struct decoder *d, const struct olv_text *packed, struct olv_text *plain)
{
    struct decoder_io io = {.in = (const uint8_t *)packed->data, .in_len = packed->len};
    while (io.in_len)
        if (!decode_at_once(d, &io, plain) && !decode_in_steps(d, &io, plain))
            return false;
    return true;
}

static void unpack_work(void *self, unsigned worker, void *arg)
{
    struct unpack *u = self;
    struct unpack_job *job = arg;
    struct olv_error ignored = {0};
    char *room;
    job->is_done = false;
    olv_text_clear(&job->packed);
    olv_text_clear(&job->plain);
    if (job->piece.length > LARGEST_PIECE || !(room = olv_text_room(&job->packed, job->piece.length)) ||
        !pack_read(u->source, room, job->piece.length, job->piece.at, &ignored))
        return;
    job->packed.len = job->piece.length;
    if (u->codec == OLV_CODEC_NONE)
        job->is_done = true;
    else
        job->is_done = decode_frames(u->decoders[worker], &job->packed, &job->plain);
}

/* ---- opening ---- */

/* Uncompressed bytes are read in pieces, too. */
static bool cut_plain(struct unpack *u, struct olv_error *err)
{
    struct pieces *p = &u->pieces;
    uint64_t size = u->source->size;
    p->count = (size_t)((size + STEP - 1) / STEP);
    p->items = calloc(p->count ? p->count : 1, sizeof *p->items);
    if (!p->items)
        return olv_fail_memory(err);
    for (size_t i = 0; i < p->count; i++) {
        uint64_t at = (uint64_t)i * STEP;
        p->items[i] = (struct piece){at, size - at < STEP ? size - at : STEP};
    }
    return true;
}

static bool make_crew(struct unpack *u)
{
    if (u->pieces.count < 2)
        u->workers = 1;
    u->job_count = u->workers + SPARE_JOBS;
    u->jobs = calloc(u->job_count, sizeof *u->jobs);
    u->decoders = calloc(u->workers, sizeof(struct decoder *));
    if (!u->jobs || !u->decoders)
        return false;
    for (unsigned i = 0; u->codec != OLV_CODEC_NONE && i < u->workers; i++)
        if (!(u->decoders[i] = decoder_new(u->codec)))
            return false;
    u->crew = crew_new(u->workers, u->job_count, unpack_work, u);
    return u->crew != NULL;
}

struct unpack *unpack_new(const struct pack_source *source, enum olv_codec codec, unsigned workers,
                          struct olv_error *err)
{
    struct unpack *u = allocate(sizeof *u, err);
    if (!u)
        return NULL;
    u->source = source;
    u->codec = codec;
    u->workers = workers;
    if (codec == OLV_CODEC_NONE ? cut_plain(u, err) : split_frames(source, codec, &u->pieces, err)) {
        if (make_crew(u))
            return u;
        olv_fail_memory(err);
    }
    unpack_free(u);
    return NULL;
}

void unpack_free(struct unpack *u)
{
    if (!u)
        return;
    crew_free(u->crew);
    for (unsigned i = 0; u->decoders && i < u->workers; i++)
        decoder_free(u->decoders[i]);
    for (unsigned i = 0; u->jobs && i < u->job_count; i++) {
        olv_text_free(&u->jobs[i].packed);
        olv_text_free(&u->jobs[i].plain);
    }
    decoder_free(u->stream);
    pieces_free(&u->pieces);
    free(u->decoders);
    free(u->jobs);
    free(u->packed);
    free(u->plain);
    free(u);
}

bool unpack_is_doubtful(const struct unpack *u)
{
    return u->is_streaming && u->is_doubtful;
}

uint64_t unpack_position(const struct unpack *u)
{
    return u->position;
}

/* ---- as a stream ---- */

static bool begin_stream(struct unpack *u, uint64_t at, struct olv_error *err)
{
    if (!u->stream)
        u->stream = decoder_new(u->codec);
    if (!u->packed)
        u->packed = malloc(STEP);
    if (!u->plain)
        u->plain = malloc(STEP);
    if (!u->stream || !u->packed || !u->plain)
        return olv_fail_memory(err);
    decoder_reset(u->stream);
    u->is_streaming = true;
    u->in_frame = at == 0; /* the file's beginning was examined; the decoder reports a wrong one */
    u->read_at = at;
    u->io = (struct decoder_io){0};
    return true;
}

static bool unpack_refill(struct unpack *u, struct olv_error *err)
{
    uint64_t left = u->source->size - u->read_at;
    size_t len = left < STEP ? (size_t)left : STEP;
    if (u->io.in_len)
        return true;
    if (!pack_read(u->source, u->packed, len, u->read_at, err))
        return false;
    u->io.in = u->packed;
    u->io.in_len = len;
    u->read_at += len;
    return true;
}

static uint64_t stream_position(const struct unpack *u)
{
    return u->read_at - u->io.in_len;
}

static bool at_byte(const struct unpack *u, struct olv_error *err)
{
    size_t len = strlen(err->what);
    snprintf(err->what + len, sizeof err->what - len, ", at byte %llu or a little before",
             (unsigned long long)stream_position(u));
    return false;
}

static bool skip_zeros(struct unpack *u, struct olv_error *err)
{
    while (unpack_refill(u, err) && u->io.in_len && *u->io.in == 0)
        for (; u->io.in_len && *u->io.in == 0; u->io.in++)
            u->io.in_len--;
    return err->code == OLV_OK;
}

static enum olv_codec look_here(const struct unpack *u, struct olv_error *err)
{
    uint8_t head[CODEC_HEAD];
    uint64_t at = stream_position(u), left = u->source->size - at;
    size_t len = left < sizeof head ? (size_t)left : sizeof head;
    return pack_read(u->source, head, len, at, err) ? codec_detect(head, len) : OLV_CODEC_NONE;
}

/* Between two frames: whether another one follows. `*is_end`: the file ends here. Zeros at the end are
 * padding; xz also allows them between its streams (The .xz File Format 1.1.0, 2.2). */
static bool look_between(struct unpack *u, bool *is_end, struct olv_error *err)
{
    uint64_t at = stream_position(u);
    if (at == u->source->size)
        return *is_end = true;
    u->in_frame = look_here(u, err) == u->codec;
    if (u->in_frame || err->code != OLV_OK)
        return u->in_frame;
    if (!skip_zeros(u, err))
        return false;
    if (stream_position(u) == u->source->size)
        return *is_end = true;
    u->in_frame = u->codec == OLV_CODEC_XZ && look_here(u, err) == u->codec;
    if (u->in_frame || err->code != OLV_OK)
        return u->in_frame;
    return olv_fail(err, OLV_BROKEN, "something else follows the %s data, at byte %llu",
                    olv_codec_word(u->codec), (unsigned long long)at);
}

/* Returns to pieces if one begins here. */
static void try_pieces(struct unpack *u)
{
    uint64_t here = stream_position(u);
    while (u->next < u->pieces.count && u->pieces.items[u->next].at < here)
        u->next++;
    if (u->next < u->pieces.count && u->pieces.items[u->next].at == here)
        u->is_streaming = false;
}

/* Fills the plain buffer; false without an error at the end, or where pieces resume. */
static bool stream_next(struct unpack *u, size_t *len, struct olv_error *err)
{
    bool is_end = false;
    u->io.out = u->plain;
    u->io.out_len = STEP;
    while (u->io.out_len == STEP && u->is_streaming && !is_end) {
        enum decoded now;
        size_t before = u->io.in_len;
        if (!u->in_frame) {
            if (!look_between(u, &is_end, err))
                return false;
            continue;
        }
        if (!unpack_refill(u, err))
            return false;
        now = decoder_run(u->stream, &u->io, err);
        if (now == DECODED_BROKEN)
            return at_byte(u, err);
        if (now == DECODED_END) {
            u->in_frame = false;
            try_pieces(u);
        } else if (u->io.out_len == STEP && u->io.in_len == before && u->read_at == u->source->size) {
            olv_fail(err, OLV_BROKEN, "the %s data ends too early: the rest of it is missing",
                     olv_codec_word(u->codec));
            return false;
        }
    }
    *len = STEP - u->io.out_len;
    u->position = stream_position(u);
    return true;
}

/* ---- piece by piece ---- */

static void give_pieces(struct unpack *u)
{
    while (u->next < u->pieces.count && crew_under_way(u->crew) < u->job_count - (u->taken != NULL)) {
        struct unpack_job *job = &u->jobs[u->next % u->job_count];
        job->piece = u->pieces.items[u->next++];
        crew_give(u->crew, job);
    }
}

/* Waits for jobs in progress and discards them. */
static void recall(struct unpack *u)
{
    while (crew_take(u->crew))
        ;
    u->taken = NULL;
}

static bool fall_back(struct unpack *u, const struct unpack_job *job, struct olv_error *err)
{
    recall(u);
    while (u->next > 0 && u->pieces.items[u->next - 1].at > job->piece.at)
        u->next--;
    if (u->codec == OLV_CODEC_NONE) { /* only reading can have failed: read again, for its error */
        char *room = olv_text_room(&u->jobs->plain, (size_t)job->piece.length);
        return room && pack_read(u->source, room, (size_t)job->piece.length, job->piece.at, err)
                   ? olv_fail_memory(err)
                   : false;
    }
    u->is_doubtful = job->piece.length <= LARGEST_PIECE || u->pieces.count > 1;
    return begin_stream(u, job->piece.at, err);
}

bool unpack_restart(struct unpack *u, uint64_t at, struct olv_error *err)
{
    struct pieces *p = &u->pieces;
    struct piece *here;
    recall(u);
    u->is_streaming = false;
    u->position = at;
    for (u->next = 0; u->next < p->count && p->items[u->next].at + p->items[u->next].length <= at;)
        u->next++;
    here = u->next < p->count ? &p->items[u->next] : NULL;
    if (!here || here->at == at)
        return true;
    if (u->codec != OLV_CODEC_NONE) {
        u->next++;
        u->is_doubtful = true;
        return begin_stream(u, at, err);
    }
    here->length -= at - here->at;
    here->at = at;
    return true;
}

bool unpack_next(struct unpack *u, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    for (*len = 0; *len == 0;) {
        struct unpack_job *job;
        const struct olv_text *plain;
        if (u->is_streaming) {
            *bytes = u->plain;
            if (!stream_next(u, len, err))
                return false;
            if (*len == 0 && u->is_streaming)
                return true;
            continue;
        }
        u->taken = NULL;
        give_pieces(u);
        job = crew_take(u->crew);
        if (!job)
            return true;
        u->taken = job;
        if (!job->is_done) {
            if (!fall_back(u, job, err))
                return false;
            continue;
        }
        plain = u->codec == OLV_CODEC_NONE ? &job->packed : &job->plain;
        *bytes = (const uint8_t *)plain->data;
        *len = plain->len;
        u->position = job->piece.at + job->piece.length;
        give_pieces(u);
    }
    return true;
}
