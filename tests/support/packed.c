/* SPDX-License-Identifier: Apache-2.0 */
#include "support/packed.h"

#include "pack/frames.h"
#include "pack/unpack.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <string.h>

static bool read_at(void *self, void *out, size_t len, uint64_t at, struct olv_error *err)
{
    const struct olv_text *bytes = self;
    (void)err;
    memcpy(out, bytes->data + at, len);
    return true;
}

struct pack_source memory_source(const struct olv_text *bytes)
{
    return (struct pack_source){(void *)(uintptr_t)bytes, read_at, bytes->len};
}

void add_readings(struct olv_text *out, size_t len, unsigned seed)
{
    size_t begin = out->len;
    uint32_t state = seed * 2654435761u + 1;
    char line[80];
    for (unsigned n = 0; out->len - begin < len; n++) {
        state = state * 1664525u + 1013904223u;
        snprintf(line, sizeof line, "2026-03-%02uT%02u:%02u:00Z;gauge-%u;%u.%03u m\n", n / 1440 % 28 + 1,
                 n / 60 % 24, n % 60, state >> 30, state >> 28 & 3, (state >> 8) % 1000);
        olv_text_puts(out, line);
    }
    out->len = begin + len;
    if (out->data)
        out->data[out->len] = '\0';
}

static bool put(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    (void)err;
    olv_text_add(self, bytes, len);
    return true;
}

void pack_frames(const struct olv_text *plain, int codec, int level, struct olv_text *out)
{
    struct frames_sink sink = {.self = out, .put = put};
    struct olv_error err = {0};
    struct frames *frames = frames_new((enum olv_codec)codec, level, 2, &sink, &err);
    size_t begin = out->len;
    assert_non_null(frames);
    for (size_t at = 0; at < plain->len; at += FRAME_BYTES) {
        struct frame_job *job = frames_next(frames, &err);
        size_t left = plain->len - at;
        assert_non_null(job);
        olv_text_add(&job->plain, plain->data + at, left < FRAME_BYTES ? left : FRAME_BYTES);
        frames_give(frames, job);
    }
    assert_true(frames_finish(frames, &err));
    assert_int_equal(frames_length(frames), out->len - begin);
    frames_free(frames);
}

bool unpack_all(const struct olv_text *packed, int codec, unsigned workers, struct olv_text *out,
                struct olv_error *err)
{
    struct pack_source source = memory_source(packed);
    struct unpack *u = unpack_new(&source, (enum olv_codec)codec, workers, err);
    const uint8_t *bytes;
    size_t len = 1;
    bool ok = u != NULL;
    while (ok && len && (ok = unpack_next(u, &bytes, &len, err)))
        olv_text_add(out, bytes, len);
    unpack_free(u);
    return ok;
}
