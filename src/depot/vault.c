/* SPDX-License-Identifier: Apache-2.0 */
#include "depot/vault.h"

#include "olvido/text.h"
#include "os/os.h"
#include "os/reading.h"
#include "pack/frame_reader.h"

#include <stdlib.h>
#include <string.h>

enum { STEP = 256 << 10 };

struct vault {
    int fd; /* of the current archive; borrowed */
    struct pack_source source;
    enum olv_codec codec;
    struct frame_reader *frames;
    enum olv_codec reads; /* the codec of `frames` */
    bool has_frame;
    uint8_t id[16];  /* of the archive, and */
    uint64_t begins; /* of the frame in `plain` */
    uint64_t ends;   /* where the next one begins */
    struct olv_text plain;
    size_t within;
    bool is_given; /* the frame in `plain` was given to the reader */
    struct byte_stream stream;
    struct tar_reader *reader;
    struct olv_hasher *hasher;
    uint8_t header[OLV_SHA256_SIZE]; /* of the last member opened */
};

/* ---- frames ---- */

static bool have_frames(struct vault *v, struct olv_error *err)
{
    if (v->frames && v->reads == v->codec)
        return true;
    frame_reader_free(v->frames);
    v->reads = v->codec;
    v->frames = frame_reader_new(v->codec);
    return v->frames || olv_fail_memory(err);
}

/* Without a codec a frame is just the next bytes. */
static bool read_plain(struct vault *v, uint64_t at, struct olv_error *err)
{
    uint64_t left = at < v->source.size ? v->source.size - at : 0;
    size_t len = left < STEP ? (size_t)left : STEP;
    char *room = olv_text_room(&v->plain, STEP);
    if (!room)
        return olv_fail_memory(err);
    if (!pack_read(&v->source, room, len, at, err))
        return false;
    v->plain.len = len;
    v->ends = at + len;
    return true;
}

static bool read_packed(struct vault *v, uint64_t at, struct olv_error *err)
{
    uint64_t length = 0;
    if (!have_frames(v, err) || !frame_reader_read(v->frames, &v->source, at, &v->plain, &length, err))
        return false;
    v->ends = at + length;
    return true;
}

static bool load_frame(struct vault *v, uint64_t at, struct olv_error *err)
{
    olv_text_clear(&v->plain);
    v->has_frame = v->codec == OLV_CODEC_NONE ? read_plain(v, at, err) : read_packed(v, at, err);
    v->begins = at;
    return v->has_frame;
}

/* ---- the reader's bytes ---- */

static bool vault_next_bytes(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
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
    if (v && (v->hasher = olv_hasher_new())) {
        v->stream = (struct byte_stream){v, vault_next_bytes};
        return v;
    }
    free(v);
    return NULL;
}

void vault_free(struct vault *v)
{
    if (!v)
        return;
    tar_reader_free(v->reader);
    olv_hasher_free(v->hasher);
    frame_reader_free(v->frames);
    olv_text_free(&v->plain);
    free(v);
}

static bool point_to(struct vault *v, int fd, struct olv_error *err)
{
    struct olv_stat stat;
    if (!olv_os_stat(fd, "", &stat))
        return olv_fail_system(err, "", "cannot look at the archive");
    v->fd = fd;
    v->source = (struct pack_source){&v->fd, reading_source, stat.size_bytes};
    return true;
}

struct tar_reader *vault_open(struct vault *v, const struct vault_position *place, struct olv_member *member,
                              struct olv_error *err)
{
    bool is_plain = place->codec == OLV_CODEC_NONE;
    uint64_t begins = place->begins + (is_plain ? place->within : 0);
    bool is_same = v->has_frame && memcmp(v->id, place->id, sizeof v->id) == 0 && v->begins == begins;
    tar_reader_free(v->reader);
    v->reader = NULL;
    v->codec = place->codec;
    if (!point_to(v, place->fd, err))
        return NULL;
    if (!is_same && !load_frame(v, begins, err))
        return NULL;
    memcpy(v->id, place->id, sizeof v->id);
    v->within = is_plain ? 0 : (size_t)place->within;
    v->is_given = false;
    v->reader = v->within <= v->plain.len ? tar_reader_new(&v->stream, 0) : NULL;
    if (v->reader)
        tar_watch_headers(v->reader, v->hasher);
    if (v->reader && tar_next(v->reader, member, err)) {
        olv_hasher_end(v->hasher, v->header);
        return v->reader;
    }
    if (err->code == OLV_OK)
        olv_fail(err, OLV_BROKEN, "the archive is not what the catalogue says");
    return NULL;
}

const uint8_t *vault_header(const struct vault *v)
{
    return v->header;
}
