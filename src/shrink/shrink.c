/* SPDX-License-Identifier: Apache-2.0 */
/* The original is opened once and watched, if the system can do that: somebody opening it for writing is
 * noticed at the end, and so is a change of its times. The proof compares a fast digest of each frame as read
 * from the original with the same of what comes back from disk. */
#include "shrink/shrink.h"

#include "file/attributes.h"
#include "file/identity.h"
#include "os/durable.h"
#include "os/files.h"
#include "os/os.h"
#include "os/reading.h"
#include "pack/unpack.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { MOST_RATIO = 1000 };
#define RATIO_FROM_BYTES ((uint64_t)1 << 30)

struct shrinker {
    struct encoder *encoder;
    struct decoder *decoder;
    enum olv_codec encodes, decodes;
    int level;
    struct olv_hasher *hasher;
    struct olv_text plain, packed;
};

struct shrinker *shrinker_new(void)
{
    struct shrinker *s = calloc(1, sizeof *s);
    if (!s)
        return NULL;
    s->hasher = olv_hasher_new();
    if (s->hasher)
        return s;
    free(s);
    return NULL;
}

void shrinker_free(struct shrinker *s)
{
    if (!s)
        return;
    encoder_free(s->encoder);
    decoder_free(s->decoder);
    olv_hasher_free(s->hasher);
    olv_text_free(&s->plain);
    olv_text_free(&s->packed);
    free(s);
}

static bool have_encoder(struct shrinker *s, const struct shrink_task *t, struct olv_error *err)
{
    if (s->encoder && s->encodes == t->codec && s->level == t->level)
        return true;
    encoder_free(s->encoder);
    s->encodes = t->codec;
    s->level = t->level;
    s->encoder = encoder_new(t->codec, t->level);
    return s->encoder || olv_fail_memory(err);
}

static bool have_decoder(struct shrinker *s, enum olv_codec codec, struct olv_error *err)
{
    if (s->decoder && s->decodes == codec)
        return true;
    decoder_free(s->decoder);
    s->decodes = codec;
    s->decoder = decoder_new(codec);
    return s->decoder || olv_fail_memory(err);
}

/* ---- the original ---- */

static bool open_source(struct shrink_task *t, struct olv_error *err)
{
    enum olv_truth watch;
    t->source = olv_os_open_file(t->dir, t->name);
    if (t->source < 0)
        return olv_fail_system(err, t->name, "cannot read it");
    if (!olv_os_stat(t->source, "", &t->stat))
        return olv_fail_system(err, t->name, "cannot look at it");
    if (!olv_identity_holds(t->identity, &t->stat, true))
        return olv_fail(err, OLV_CHANGED, "it changed since it was judged");
    watch = olv_os_watch(t->source);
    t->is_watched = watch == OLV_YES;
    return true;
}

static bool was_opened(struct olv_error *err)
{
    return olv_fail(err, OLV_CHANGED, "somebody opened it for writing while it was being read");
}

bool shrink_is_unchanged(const struct shrink_task *t, struct olv_error *err)
{
    struct olv_stat now;
    if (!olv_os_stat(t->source, "", &now))
        return olv_fail_system(err, t->name, "cannot look at it again");
    if (!olv_identity_holds(t->identity, &now, true))
        return olv_fail(err, OLV_CHANGED, "it changed while it was being read");
    return !t->is_watched || !olv_os_is_watch_broken(t->source) || was_opened(err);
}

/* Exactly `len` bytes are there by its size; if there are fewer, it shrank meanwhile. */
static bool read_source(const struct shrink_task *t, void *out, size_t len, uint64_t at,
                        struct olv_error *err)
{
    return reading_at(t->source, out, len, at, err);
}

/* Whether to stop: interrupted, or somebody waits for the original. */
static bool must_stop(const struct shrink_task *t, uint64_t bytes, struct olv_error *err)
{
    olv_observe_progress(
        t->observer,
        (struct olv_progress){.doing = t->written == OLV_CODEC_NONE ? "decompressing" : "compressing",
                              .files = t->files_before,
                              .bytes = t->bytes_before + bytes});
    if (olv_observe_interrupted(t->observer))
        return !olv_fail(err, OLV_INTERRUPTED, "interrupted");
    return t->is_watched && olv_os_is_watch_broken(t->source) && !was_opened(err);
}

/* ---- the fresh file ---- */

static bool shrink_put(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    struct shrink_task *t = self;
    if (t->hasher)
        olv_hasher_add(t->hasher, bytes, len);
    if (!olv_write_all(t->to_fd >= 0 ? t->to_fd : t->fresh.fd, bytes, len))
        return olv_fail_system(err, "", "cannot write the new file");
    if (t->to_fd < 0 && t->stat.size_bytes > SHRINK_SMALL)
        olv_os_begin_sync(t->fresh.fd, t->put_bytes, len);
    t->put_bytes += len;
    return true;
}

static bool shrink_finish(struct shrink_task *t, struct olv_error *err)
{
    return shrink_is_unchanged(t, err) &&
           (t->to_fd >= 0 || attributes_copy(t->source, &t->stat, t->fresh.fd, err));
}

static bool begin_file(struct shrink_task *t, struct olv_error *err)
{
    return t->to_fd >= 0 || fresh_open(&t->fresh, t->to_dir, t->label, err);
}

struct shrink_task shrink_task(int dir, const char *name, const struct olv_identity *identity)
{
    return (struct shrink_task){.dir = dir,
                                .name = name,
                                .identity = identity,
                                .to_dir = dir,
                                .label = "",
                                .to_fd = -1,
                                .workers = 1,
                                .fresh = {.fd = -1},
                                .source = -1};
}

/* ---- packing ---- */

static bool pack_small(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    size_t len = (size_t)t->stat.size_bytes, bound;
    char *plain, *packed;
    struct frame frame = {.plain_length = (uint32_t)len};
    if (!have_encoder(s, t, err))
        return false;
    bound = encoder_bound(s->encoder, len);
    olv_text_clear(&s->plain);
    olv_text_clear(&s->packed);
    plain = olv_text_room(&s->plain, len);
    packed = olv_text_room(&s->packed, bound);
    if (!plain || !packed)
        return olv_fail_memory(err);
    if (!read_source(t, plain, len, 0, err))
        return false;
    frame.check = frame_check(plain, len);
    frame.length = (uint32_t)encoder_run(s->encoder, plain, len, packed, bound);
    frame.packed_check = frame_check(packed, frame.length);
    t->packed_bytes = frame.length;
    if (frame.length == 0 || !frame_list_add(&t->frames, frame))
        return olv_fail_memory(err);
    olv_sha256(s->hasher, packed, frame.length, t->digest);
    return shrink_put(t, packed, frame.length, err);
}

static bool fill_frames(struct shrink_task *t, struct frames *frames, struct olv_error *err)
{
    uint64_t size = t->stat.size_bytes;
    for (uint64_t at = 0; at < size; at += FRAME_BYTES) {
        size_t len = size - at < FRAME_BYTES ? (size_t)(size - at) : FRAME_BYTES;
        struct frame_job *job = frames_next(frames, err);
        char *room = job ? olv_text_room(&job->plain, len) : NULL;
        if (!job || must_stop(t, at, err))
            return false;
        if (!room)
            return olv_fail_memory(err);
        if (!read_source(t, room, len, at, err))
            return false;
        job->plain.len = len;
        frames_give(frames, job);
    }
    return frames_finish(frames, err);
}

static bool pack_large(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    struct frames_sink sink = {.self = t, .put = shrink_put};
    struct frames *frames = frames_new(t->codec, t->level, t->workers, &sink, err);
    bool ok;
    t->hasher = s->hasher;
    olv_hasher_begin(t->hasher);
    ok = frames && fill_frames(t, frames, err);
    olv_hasher_end(t->hasher, t->digest);
    t->hasher = NULL;
    if (ok) {
        t->packed_bytes = frames_length(frames);
        t->frames = frames_take(frames);
    }
    frames_free(frames);
    return ok;
}

bool shrink_pack(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    t->written = t->codec;
    if (!open_source(t, err) || !begin_file(t, err))
        return false;
    t->plain_bytes = t->stat.size_bytes;
    return (t->plain_bytes <= SHRINK_SMALL ? pack_small(s, t, err) : pack_large(s, t, err)) &&
           shrink_finish(t, err);
}

/* ---- unpacking ---- */

static bool is_too_large(const struct shrink_task *t, uint64_t plain, struct olv_error *err)
{
    if (t->most_bytes && plain > t->most_bytes) {
        olv_fail(err, OLV_REFUSED, "it expands to more than --max-size allows");
        return olv_error_hint(err, "nothing was written; allow it with a larger --max-size"), true;
    }
    if (t->most_bytes || plain <= RATIO_FROM_BYTES || plain / MOST_RATIO <= t->stat.size_bytes)
        return false;
    olv_fail(err, OLV_REFUSED, "it expands to more than %d times its size, as no honest file does",
             MOST_RATIO);
    return olv_error_hint(err, "nothing was written; allow it with --max-size SIZE"), true;
}

/* Up to what was unpacked, while that is in memory. */
static bool digest_source(struct shrinker *s, const struct shrink_task *t, uint64_t *digested, uint64_t to,
                          struct olv_error *err)
{
    enum { STEP = 256 << 10 };
    while (*digested < to) {
        size_t n = to - *digested < STEP ? (size_t)(to - *digested) : STEP;
        char *room;
        olv_text_clear(&s->packed);
        room = olv_text_room(&s->packed, n);
        if (!room)
            return olv_fail_memory(err);
        if (!read_source(t, room, n, *digested, err))
            return false;
        olv_hasher_add(s->hasher, room, n);
        *digested += n;
    }
    return true;
}

/* What will be proven is noted as frames, like everything else. */
static bool shrink_note(struct shrink_task *t, const uint8_t *bytes, size_t len, struct olv_error *err)
{
    struct frame frame = {t->put_bytes, (uint32_t)len, (uint32_t)len, 0, 0};
    if (t->keeps || len == 0)
        return true;
    frame.check = frame.packed_check = frame_check(bytes, len);
    return frame_list_add(&t->frames, frame) || olv_fail_memory(err);
}

static bool unpack_into(struct shrinker *s, struct shrink_task *t, struct unpack *u, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t digested = t->keeps ? t->stat.size_bytes : 0;
    olv_hasher_begin(s->hasher);
    while (len) {
        if (!unpack_next(u, &bytes, &len, err))
            return false;
        t->plain_bytes += len;
        if (is_too_large(t, t->plain_bytes, err) || must_stop(t, unpack_position(u), err) ||
            !digest_source(s, t, &digested, unpack_position(u), err) || !shrink_note(t, bytes, len, err) ||
            !shrink_put(t, bytes, len, err))
            return false;
    }
    if (!digest_source(s, t, &digested, t->stat.size_bytes, err))
        return false;
    olv_hasher_end(s->hasher, t->digest);
    return true;
}

static bool unpack_large(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    struct pack_source source = {&t->source, reading_source, t->stat.size_bytes};
    struct unpack *u = unpack_new(&source, t->codec, t->workers, err);
    bool ok = u && unpack_into(s, t, u, err);
    unpack_free(u);
    return ok;
}

/* A single frame that states its length, without any thread. False without an error if it is something else.
 */
static bool unpack_small(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    size_t len = (size_t)t->stat.size_bytes, frame_len, plain_len;
    char *packed, *plain;
    long got;
    olv_text_clear(&s->packed);
    olv_text_clear(&s->plain);
    packed = olv_text_room(&s->packed, len);
    if (!packed || !have_decoder(s, t->codec, err))
        return packed ? false : olv_fail_memory(err);
    if (!read_source(t, packed, len, 0, err))
        return false;
    if (!decoder_frame_lengths(s->decoder, (const uint8_t *)packed, len, &frame_len, &plain_len) ||
        frame_len != len || plain_len > SHRINK_SMALL)
        return false;
    plain = olv_text_room(&s->plain, plain_len);
    if (!plain)
        return olv_fail_memory(err);
    got = decoder_frame(s->decoder, packed, len, plain, plain_len);
    if (got < 0 || is_too_large(t, (uint64_t)got, err))
        return false;
    t->plain_bytes = (uint64_t)got;
    if (!t->keeps)
        olv_sha256(s->hasher, packed, len, t->digest);
    return shrink_note(t, (const uint8_t *)plain, (size_t)got, err) && shrink_put(t, plain, (size_t)got, err);
}

static bool detect(struct shrink_task *t, struct olv_error *err)
{
    uint8_t head[CODEC_HEAD];
    size_t len = t->stat.size_bytes < sizeof head ? (size_t)t->stat.size_bytes : sizeof head;
    if (!read_source(t, head, len, 0, err))
        return false;
    t->codec = codec_detect(head, len);
    return t->codec != OLV_CODEC_NONE ||
           olv_fail(err, OLV_BROKEN, len ? "it is not a gzip, bzip2, xz or zstd file" : "it is empty");
}

bool shrink_unpack(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    bool ok;
    t->written = OLV_CODEC_NONE;
    if (!open_source(t, err) || !detect(t, err) || !begin_file(t, err))
        return false;
    t->packed_bytes = t->stat.size_bytes;
    ok = t->packed_bytes <= SHRINK_SMALL && unpack_small(s, t, err);
    if (!ok && err->code == OLV_OK)
        ok = unpack_large(s, t, err);
    return ok && shrink_finish(t, err);
}

/* ---- the proof ---- */

static bool prove_small(struct shrinker *s, const struct shrink_task *t, struct olv_error *err)
{
    const struct frame *f = &t->frames.items[0];
    char *packed, *plain;
    long got = f->length;
    olv_text_clear(&s->packed);
    olv_text_clear(&s->plain);
    packed = olv_text_room(&s->packed, f->length);
    plain = t->written == OLV_CODEC_NONE ? packed : olv_text_room(&s->plain, f->plain_length);
    if (!packed || !plain)
        return olv_fail_memory(err);
    if (!reading_at(t->fresh.fd, packed, f->length, 0, err))
        return false;
    if (t->written != OLV_CODEC_NONE) {
        if (!have_decoder(s, t->written, err))
            return false;
        got = decoder_frame(s->decoder, packed, f->length, plain, f->plain_length);
    }
    return (got == (long)f->plain_length && frame_check(plain, (size_t)got) == f->check) ||
           olv_fail(err, OLV_BROKEN, "what was written does not read back the same");
}

static bool prove_progress(void *self, uint64_t plain_bytes)
{
    struct shrink_task *t = self;
    struct olv_error ignored = {0};
    (void)plain_bytes;
    return !must_stop(t, t->stat.size_bytes, &ignored);
}

static bool prove_large(struct shrink_task *t, struct olv_error *err)
{
    struct pack_source source = {&t->fresh.fd, reading_source,
                                 t->written == OLV_CODEC_NONE ? t->plain_bytes : t->packed_bytes};
    struct frames_proof proof = {.self = t, .progress = prove_progress};
    return frames_prove(&source, t->written, &t->frames, t->workers, &proof, err);
}

bool shrink_prove(struct shrinker *s, struct shrink_task *t, struct olv_error *err)
{
    bool ok;
    if (t->frames.count)
        posix_fadvise(t->fresh.fd, 0, 0, POSIX_FADV_DONTNEED);
    ok = t->frames.count == 0 || (t->frames.count == 1 ? prove_small(s, t, err) : prove_large(t, err));
    return ok && shrink_is_unchanged(t, err);
}

void shrink_end(struct shrink_task *t)
{
    fresh_close(&t->fresh);
    olv_os_close(t->source);
    t->source = -1;
    frame_list_free(&t->frames);
}
