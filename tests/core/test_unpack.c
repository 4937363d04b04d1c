/* SPDX-License-Identifier: Apache-2.0 */
/* Reading packed files from anywhere: single frames, from a frame on, and behind damage. */
#include "pack/frame_reader.h"
#include "pack/frames.h"
#include "pack/unpack.h"
#include "support/packed.h"
#include "support/sandbox.h"

#include <string.h>

enum { FRAMES = 9, LAST = OLV_CODEC_ZSTD };

/* A packed file of several frames, each of another length. */
struct sample {
    enum olv_codec codec;
    struct olv_text plain, packed;
    struct frames *frames;
    const struct frame_list *list;
    size_t begins[FRAMES + 1]; /* in the plain bytes */
    struct pack_source source;
};

static bool append(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    (void)err;
    olv_text_add(self, bytes, len);
    return true;
}

static void make(struct sample *s, int codec, size_t frame_bytes)
{
    struct frames_sink sink = {.self = &s->packed, .put = append};
    struct olv_error err = {0};
    *s = (struct sample){.codec = (enum olv_codec)codec};
    s->frames = frames_new(s->codec, 1, 2, &sink, &err);
    assert_non_null(s->frames);
    for (unsigned i = 0; i < FRAMES; i++) {
        struct frame_job *job = frames_next(s->frames, &err);
        size_t len = frame_bytes + 1000 * i;
        s->begins[i] = s->plain.len;
        add_readings(&job->plain, len, i);
        olv_text_add(&s->plain, job->plain.data, job->plain.len);
        frames_give(s->frames, job);
    }
    assert_true(frames_finish(s->frames, &err));
    s->begins[FRAMES] = s->plain.len;
    s->list = frames_written(s->frames);
    assert_int_equal(s->list->count, FRAMES);
    s->source = memory_source(&s->packed);
}

static void drop(struct sample *s)
{
    frames_free(s->frames);
    olv_text_free(&s->plain);
    olv_text_free(&s->packed);
}

/* ---- finding frames, and reading one ---- */

static void each_frame_is_found(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_GZIP; codec <= LAST; codec++) {
        struct olv_error err = {0};
        struct sample s;
        uint64_t at = 0;
        make(&s, codec, 20000);
        for (size_t i = 0; i < FRAMES; i++) {
            assert_true(frame_find(&s.source, s.codec, at, &at, &err));
            assert_true(at == s.list->items[i].at);
            at++;
        }
        assert_true(frame_find(&s.source, s.codec, at, &at, &err));
        assert_true(at == s.source.size);
        assert_true(frame_find(&s.source, s.codec, s.source.size + 5, &at, &err));
        assert_true(at == s.source.size);
        drop(&s);
    }
}

/* A mark on the edge of what is looked at in one step. */
static void a_mark_is_found_wherever_it_stands(void **state)
{
    enum { STEP = 1 << 20 };
    static const uint8_t mark[] = {'B', 'Z', 'h', '9', 0x31, 0x41, 0x59, 0x26, 0x53, 0x59};
    struct olv_error err = {0};
    (void)state;
    for (size_t before = STEP - 12; before <= STEP + 2; before++) {
        struct olv_text bytes = {0};
        struct pack_source source;
        uint64_t at = 0;
        char *room = olv_text_room(&bytes, before);
        assert_non_null(room);
        memset(room, 'B', before);
        bytes.len = before;
        olv_text_add(&bytes, mark, sizeof mark);
        source = memory_source(&bytes);
        assert_true(frame_find(&source, OLV_CODEC_BZIP2, 0, &at, &err));
        assert_true(at == before);
        source.size--; /* cut: it is none */
        assert_true(frame_find(&source, OLV_CODEC_BZIP2, 0, &at, &err));
        assert_true(at == source.size);
        olv_text_free(&bytes);
    }
}

static void any_frame_is_read_alone(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_GZIP; codec <= LAST; codec++) {
        struct frame_reader *reader = frame_reader_new((enum olv_codec)codec);
        struct olv_text plain = {0};
        struct sample s;
        make(&s, codec, 300000);
        assert_non_null(reader);
        for (size_t i = FRAMES; i-- > 0;) {
            struct olv_error err = {0};
            uint64_t length = 0;
            /* What is none is told, and leaves no trace. */
            assert_false(
                frame_reader_read(reader, &s.source, s.list->items[i].at + 1, &plain, &length, &err));
            assert_int_equal(err.code, OLV_BROKEN);
            err = (struct olv_error){0};
            assert_true(frame_reader_read(reader, &s.source, s.list->items[i].at, &plain, &length, &err));
            assert_true(length == s.list->items[i].length);
            assert_int_equal(plain.len, s.list->items[i].plain_length);
            assert_memory_equal(plain.data, s.plain.data + s.begins[i], plain.len);
        }
        frame_reader_free(reader);
        olv_text_free(&plain);
        drop(&s);
    }
}

static void a_frame_that_is_cut_is_told(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_GZIP; codec <= LAST; codec++) {
        struct frame_reader *reader = frame_reader_new((enum olv_codec)codec);
        struct olv_text plain = {0};
        struct sample s;
        make(&s, codec, 1000);
        for (uint64_t size = 0; size < s.list->items[0].length; size++) {
            struct pack_source cut = s.source;
            struct olv_error err = {0};
            uint64_t length;
            cut.size = size;
            assert_false(frame_reader_read(reader, &cut, 0, &plain, &length, &err));
            assert_int_equal(err.code, OLV_BROKEN);
        }
        frame_reader_free(reader);
        olv_text_free(&plain);
        drop(&s);
    }
}

/* ---- from a frame on ---- */

/* All that comes; false with an error. Where anything is doubtful, `*doubtful` is where it begins. */
static bool take_all(struct unpack *u, struct olv_text *out, size_t *doubtful, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    bool ok = true;
    while (len && (ok = unpack_next(u, &bytes, &len, err))) {
        if (len && unpack_is_doubtful(u) && out->len < *doubtful)
            *doubtful = out->len;
        olv_text_add(out, bytes, len);
    }
    return ok;
}

static void it_goes_on_from_any_frame(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_GZIP; codec <= LAST; codec++)
        for (unsigned workers = 1; workers <= 3; workers += 2) {
            struct olv_error err = {0};
            struct unpack *u;
            struct sample s;
            make(&s, codec, 250000); /* some frames are pieces of their own, some are put together */
            u = unpack_new(&s.source, s.codec, workers, &err);
            assert_non_null(u);
            for (size_t i = FRAMES; i-- > 0;) {
                struct olv_text out = {0};
                size_t doubtful = SIZE_MAX;
                assert_true(unpack_restart(u, s.list->items[i].at, &err));
                assert_true(unpack_position(u) == s.list->items[i].at);
                assert_true(take_all(u, &out, &doubtful, &err));
                assert_int_equal(out.len, s.plain.len - s.begins[i]);
                assert_memory_equal(out.data, s.plain.data + s.begins[i], out.len);
                olv_text_free(&out);
            }
            unpack_free(u);
            drop(&s);
        }
}

static void without_a_codec_it_goes_on_from_anywhere(void **state)
{
    struct olv_error err = {0};
    struct unpack *u;
    struct sample s;
    (void)state;
    make(&s, OLV_CODEC_NONE, 100000);
    u = unpack_new(&s.source, s.codec, 2, &err);
    assert_non_null(u);
    for (size_t at = 0; at <= s.packed.len; at += at < s.packed.len / 2 ? 65521 : 131071) {
        struct olv_text out = {0};
        size_t doubtful = SIZE_MAX;
        assert_true(unpack_restart(u, at, &err));
        assert_true(take_all(u, &out, &doubtful, &err));
        assert_int_equal(out.len, s.packed.len - at);
        assert_true(out.len == 0 || memcmp(out.data, s.packed.data + at, out.len) == 0);
        assert_true(doubtful == SIZE_MAX);
        olv_text_free(&out);
    }
    unpack_free(u);
    drop(&s);
}

/* Up to the damaged frame all comes, and what comes of it is doubtful; behind it the rest comes. */
static void damage_is_passed_over(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_GZIP; codec <= LAST; codec++)
        for (size_t hit = 0; hit < FRAMES; hit++) {
            struct olv_text out = {0};
            struct olv_error err = {0};
            size_t doubtful = SIZE_MAX;
            struct unpack *u;
            struct sample s;
            uint64_t next;
            make(&s, codec, hit % 2 ? 15000 : 280000);
            s.packed.data[s.list->items[hit].at + s.list->items[hit].length / 2] ^= 4;
            u = unpack_new(&s.source, s.codec, 2, &err);
            assert_non_null(u);
            assert_false(take_all(u, &out, &doubtful, &err));
            assert_int_equal(err.code, OLV_BROKEN);
            assert_true(out.len >= s.begins[hit] && out.len <= s.begins[hit + 1]);
            assert_true(s.begins[hit] == 0 || memcmp(out.data, s.plain.data, s.begins[hit]) == 0);
            assert_true(out.len == s.begins[hit] || doubtful <= s.begins[hit]);
            next = unpack_position(u);
            while (next <= s.list->items[hit].at)
                assert_true(frame_find(&s.source, s.codec, next + 1, &next, &err));
            assert_true(frame_find(&s.source, s.codec, next, &next, &err));
            assert_true(next == (hit + 1 < FRAMES ? s.list->items[hit + 1].at : s.source.size));
            olv_text_clear(&out);
            err = (struct olv_error){0};
            assert_true(unpack_restart(u, next, &err));
            assert_true(take_all(u, &out, &doubtful, &err));
            assert_int_equal(out.len, s.plain.len - s.begins[hit + 1]);
            assert_true(out.len == 0 || memcmp(out.data, s.plain.data + s.begins[hit + 1], out.len) == 0);
            unpack_free(u);
            olv_text_free(&out);
            drop(&s);
        }
}

/* ---- what belongs behind frames ---- */

static void the_end_follows_from_the_frames(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_NONE; codec <= LAST; codec++) {
        const struct frame *last;
        struct olv_error err = {0};
        struct olv_text end = {0};
        struct sample s;
        make(&s, codec, 5000);
        last = &s.list->items[FRAMES - 1];
        assert_true(frames_end(&s.source, s.codec, s.list, &end, &err));
        assert_int_equal(end.len, s.packed.len - last->at - last->length);
        assert_true(end.len == 0 || memcmp(end.data, s.packed.data + last->at + last->length, end.len) == 0);
        assert_true(s.list->end_check == (end.len ? frame_check(end.data, end.len) : 0));
        assert_true((codec == OLV_CODEC_ZSTD) == (end.len > 0));
        olv_text_free(&end);
        drop(&s);
    }
}

static void a_stretch_is_checked_in_steps(void **state)
{
    struct olv_text bytes = {0};
    struct pack_source source;
    (void)state;
    add_readings(&bytes, 700000, 3);
    source = memory_source(&bytes);
    for (size_t at = 0; at < bytes.len; at += 99991)
        for (size_t end = at; end <= bytes.len; end += 123457) {
            struct olv_error err = {0};
            uint64_t check = 0;
            assert_true(frame_check_stretch(&source, at, end, &check, &err));
            assert_true(check == frame_check(bytes.data + at, end - at));
        }
    olv_text_free(&bytes);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_frame_is_found),
        cmocka_unit_test(a_mark_is_found_wherever_it_stands),
        cmocka_unit_test(any_frame_is_read_alone),
        cmocka_unit_test(a_frame_that_is_cut_is_told),
        cmocka_unit_test(it_goes_on_from_any_frame),
        cmocka_unit_test(without_a_codec_it_goes_on_from_anywhere),
        cmocka_unit_test(damage_is_passed_over),
        cmocka_unit_test(the_end_follows_from_the_frames),
        cmocka_unit_test(a_stretch_is_checked_in_steps),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
