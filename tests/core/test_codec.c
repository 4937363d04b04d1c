/* SPDX-License-Identifier: Apache-2.0 */
/* Packing into frames and unpacking: what goes in comes out, whoever reads it; what is damaged is told. */
#include "pack/codec.h"
#include "pack/frames.h"
#include "support/packed.h"
#include "support/sandbox.h"

#include <bzlib.h>
#include <lzma.h>
#include <stdlib.h>
#include <string.h>
#include <zlib.h>
#include <zstd.h>

enum { FIRST = OLV_CODEC_GZIP, LAST = OLV_CODEC_ZSTD };

static void assert_same(const struct olv_text *a, const struct olv_text *b)
{
    assert_int_equal(a->len, b->len);
    assert_true(a->len == 0 || memcmp(a->data, b->data, a->len) == 0);
}

static int quick_level(int codec)
{
    return olv_codec_levels((enum olv_codec)codec).least;
}

static void what_was_packed_is_unpacked_the_same(void **state)
{
    static const size_t sizes[] = {0, 1, 1000, FRAME_BYTES, FRAME_BYTES + 1, 2 * FRAME_BYTES + 12345};
    (void)state;
    for (int codec = FIRST; codec <= LAST; codec++)
        for (size_t i = 0; i < sizeof sizes / sizeof *sizes; i++) {
            struct olv_text plain = {0}, packed = {0}, back = {0};
            struct olv_error err = {0};
            add_readings(&plain, sizes[i], 7);
            pack_frames(&plain, codec, quick_level(codec), &packed);
            assert_int_equal(codec_detect((const uint8_t *)packed.data, packed.len), codec);
            assert_true(unpack_all(&packed, codec, 2, &back, &err));
            assert_same(&plain, &back);
            olv_text_free(&plain);
            olv_text_free(&packed);
            olv_text_free(&back);
        }
}

static void every_level_of_a_format_is_taken(void **state)
{
    struct olv_text plain = {0};
    (void)state;
    add_readings(&plain, 30000, 3);
    for (int codec = FIRST; codec <= LAST; codec++) {
        struct olv_levels levels = olv_codec_levels((enum olv_codec)codec);
        for (int level = levels.least; level <= levels.most; level++) {
            struct olv_text packed = {0}, back = {0};
            struct olv_error err = {0};
            pack_frames(&plain, codec, level, &packed);
            assert_true(packed.len < plain.len / 2);
            assert_true(unpack_all(&packed, codec, 1, &back, &err));
            assert_same(&plain, &back);
            olv_text_free(&packed);
            olv_text_free(&back);
        }
    }
    olv_text_free(&plain);
}

/* ---- the libraries' own readers, and writers ---- */

static size_t read_with_zlib(const struct olv_text *packed, void *out, size_t room)
{
    z_stream z = {.next_in = (Bytef *)packed->data, .avail_in = (uInt)packed->len};
    int ret = Z_OK;
    z.next_out = out;
    z.avail_out = (uInt)room;
    assert_int_equal(inflateInit2(&z, 31), Z_OK);
    while (z.avail_in && (ret = inflate(&z, Z_FINISH)) == Z_STREAM_END)
        inflateReset(&z);
    inflateEnd(&z);
    assert_int_equal(ret, Z_STREAM_END);
    return room - z.avail_out;
}

static size_t read_with_bzip2(const struct olv_text *packed, void *out, size_t room)
{
    char *in = packed->data;
    size_t left = packed->len, got = 0;
    while (left) {
        bz_stream b = {.next_in = in, .avail_in = (unsigned)left};
        assert_int_equal(BZ2_bzDecompressInit(&b, 0, 0), BZ_OK);
        b.next_out = (char *)out + got;
        b.avail_out = (unsigned)(room - got);
        assert_int_equal(BZ2_bzDecompress(&b), BZ_STREAM_END);
        in = b.next_in;
        left = b.avail_in;
        got = room - b.avail_out;
        BZ2_bzDecompressEnd(&b);
    }
    return got;
}

static size_t read_with_lzma(const struct olv_text *packed, void *out, size_t room)
{
    lzma_stream x = LZMA_STREAM_INIT;
    assert_int_equal(lzma_stream_decoder(&x, UINT64_MAX, LZMA_CONCATENATED), LZMA_OK);
    x.next_in = (const uint8_t *)packed->data;
    x.avail_in = packed->len;
    x.next_out = out;
    x.avail_out = room;
    assert_int_equal(lzma_code(&x, LZMA_FINISH), LZMA_STREAM_END);
    room -= x.avail_out;
    lzma_end(&x);
    return room;
}

static size_t read_with_library(int codec, const struct olv_text *packed, void *out, size_t room)
{
    switch (codec) {
    case OLV_CODEC_GZIP:
        return read_with_zlib(packed, out, room);
    case OLV_CODEC_BZIP2:
        return read_with_bzip2(packed, out, room);
    case OLV_CODEC_XZ:
        return read_with_lzma(packed, out, room);
    default:
        return ZSTD_decompress(out, room, packed->data, packed->len);
    }
}

static void the_libraries_read_our_frames(void **state)
{
    struct olv_text plain = {0};
    char *out;
    (void)state;
    add_readings(&plain, 2 * FRAME_BYTES + 777, 5);
    out = malloc(plain.len + 1);
    for (int codec = FIRST; codec <= LAST; codec++) {
        struct olv_text packed = {0};
        pack_frames(&plain, codec, quick_level(codec), &packed);
        assert_int_equal(read_with_library(codec, &packed, out, plain.len + 1), plain.len);
        assert_memory_equal(out, plain.data, plain.len);
        olv_text_free(&packed);
    }
    free(out);
    olv_text_free(&plain);
}

static void append_with_library(int codec, const struct olv_text *plain, struct olv_text *out)
{
    size_t room = plain->len + plain->len / 50 + 1000, len = 0;
    unsigned n = (unsigned)room;
    char *to = olv_text_room(out, room);
    z_stream z = {.next_in = (Bytef *)plain->data, .avail_in = (uInt)plain->len};
    switch (codec) {
    case OLV_CODEC_GZIP:
        assert_int_equal(deflateInit2(&z, 6, Z_DEFLATED, 31, 8, Z_DEFAULT_STRATEGY), Z_OK);
        z.next_out = (Bytef *)to;
        z.avail_out = (uInt)room;
        assert_int_equal(deflate(&z, Z_FINISH), Z_STREAM_END);
        len = room - z.avail_out;
        deflateEnd(&z);
        break;
    case OLV_CODEC_BZIP2:
        assert_int_equal(BZ2_bzBuffToBuffCompress(to, &n, plain->data, (unsigned)plain->len, 1, 0, 0), BZ_OK);
        len = n;
        break;
    case OLV_CODEC_XZ:
        assert_int_equal(lzma_easy_buffer_encode(0, LZMA_CHECK_SHA256, NULL, (uint8_t *)plain->data,
                                                 plain->len, (uint8_t *)to, &len, room),
                         LZMA_OK);
        break;
    default:
        len = ZSTD_compress(to, room, plain->data, plain->len, 1);
        assert_false(ZSTD_isError(len));
    }
    out->len += len;
}

static void what_others_wrote_and_joined_is_read(void **state)
{
    struct olv_text first = {0}, second = {0}, whole = {0};
    (void)state;
    add_readings(&first, 5 * FRAME_BYTES, 1); /* more than a piece may hold */
    add_readings(&second, 100, 2);
    olv_text_add(&whole, first.data, first.len);
    olv_text_add(&whole, second.data, second.len);
    olv_text_add(&whole, first.data, first.len);
    for (int codec = FIRST; codec <= LAST; codec++) {
        struct olv_text packed = {0}, back = {0};
        struct olv_error err = {0};
        append_with_library(codec, &first, &packed);
        pack_frames(&second, codec, quick_level(codec), &packed);
        append_with_library(codec, &first, &packed);
        assert_true(unpack_all(&packed, codec, 2, &back, &err));
        assert_same(&whole, &back);
        olv_text_free(&packed);
        olv_text_free(&back);
    }
    olv_text_free(&first);
    olv_text_free(&second);
    olv_text_free(&whole);
}

/* ---- what is wrong ---- */

static void what_is_cut_short_is_told_and_its_beginning_given(void **state)
{
    struct olv_text plain = {0};
    (void)state;
    add_readings(&plain, 2 * FRAME_BYTES + 5, 9);
    for (int codec = FIRST; codec <= LAST; codec++) {
        struct olv_text packed = {0};
        size_t ends[3];
        pack_frames(&plain, codec, quick_level(codec), &packed);
        ends[0] = 1;
        ends[1] = packed.len / 2;
        ends[2] = packed.len - (codec == OLV_CODEC_ZSTD ? 50 : 1); /* into the last frame */
        for (size_t i = 0; i < 3; i++) {
            struct olv_text part = {0}, back = {0};
            struct olv_error err = {0};
            olv_text_add(&part, packed.data, ends[i]);
            assert_false(unpack_all(&part, codec, 2, &back, &err));
            assert_int_equal(err.code, OLV_BROKEN);
            assert_true(back.len <= plain.len);
            assert_true(back.len == 0 || memcmp(back.data, plain.data, back.len) == 0);
            olv_text_free(&part);
            olv_text_free(&back);
        }
        olv_text_free(&packed);
    }
    olv_text_free(&plain);
}

static void a_flipped_bit_is_told(void **state)
{
    struct olv_text plain = {0};
    (void)state;
    add_readings(&plain, 50000, 4);
    for (int codec = FIRST; codec <= LAST; codec++) {
        struct olv_text packed = {0};
        pack_frames(&plain, codec, quick_level(codec), &packed);
        for (size_t at = packed.len / 5; at < packed.len * 4 / 5; at += packed.len / 23) {
            struct olv_text back = {0};
            struct olv_error err = {0};
            packed.data[at] ^= 0x10;
            assert_false(unpack_all(&packed, codec, 1, &back, &err));
            packed.data[at] ^= 0x10;
            assert_int_equal(err.code, OLV_BROKEN);
            olv_text_free(&back);
        }
        olv_text_free(&packed);
    }
    olv_text_free(&plain);
}

static void zeros_at_the_end_are_padding_and_all_else_is_not(void **state)
{
    struct olv_text plain = {0};
    (void)state;
    add_readings(&plain, 1000, 4);
    for (int codec = FIRST; codec <= LAST; codec++) {
        struct olv_text packed = {0}, back = {0};
        struct olv_error err = {0};
        pack_frames(&plain, codec, quick_level(codec), &packed);
        for (int i = 0; i < 8; i++)
            olv_text_add(&packed, "", 1);
        assert_true(unpack_all(&packed, codec, 1, &back, &err));
        assert_same(&plain, &back);
        olv_text_puts(&packed, "tide");
        assert_false(unpack_all(&packed, codec, 1, &back, &err));
        assert_int_equal(err.code, OLV_BROKEN);
        assert_contains(err.what, "something else follows");
        olv_text_free(&packed);
        olv_text_free(&back);
    }
    olv_text_free(&plain);
}

static void a_seek_table_that_does_not_fit_is_not_believed(void **state)
{
    struct olv_text plain = {0}, packed = {0}, back = {0};
    struct frame_list list = {0};
    struct pack_source source;
    struct olv_error err = {0};
    (void)state;
    add_readings(&plain, 2 * FRAME_BYTES, 4);
    pack_frames(&plain, OLV_CODEC_ZSTD, 1, &packed);
    source = memory_source(&packed);
    assert_true(seek_table_get(&source, &list));
    assert_int_equal(list.count, 2);
    assert_int_equal(list.items[1].plain_length, FRAME_BYTES);
    frame_list_free(&list);
    packed.data[packed.len - 9 - 16] ^= 1; /* the packed length of the first frame */
    assert_false(seek_table_get(&source, &list));
    assert_true(unpack_all(&packed, OLV_CODEC_ZSTD, 2, &back, &err));
    assert_same(&plain, &back);
    olv_text_free(&plain);
    olv_text_free(&packed);
    olv_text_free(&back);
}

/* ---- proof ---- */

struct bad_frames {
    size_t count, lost, last;
};

static void note_bad(void *self, size_t number, bool is_lost, const struct olv_error *why)
{
    struct bad_frames *b = self;
    assert_int_equal(why->code, OLV_BROKEN);
    b->count++;
    b->lost += is_lost;
    b->last = number;
}

static bool append(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    (void)err;
    olv_text_add(self, bytes, len);
    return true;
}

static void a_proof_names_the_damaged_frames(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_NONE; codec <= LAST; codec++) {
        struct olv_text packed = {0};
        struct frames_sink sink = {.self = &packed, .put = append};
        struct olv_error err = {0};
        struct frames *frames = frames_new((enum olv_codec)codec, quick_level(codec), 2, &sink, &err);
        struct bad_frames bad = {0};
        struct frames_proof proof = {.self = &bad, .bad = note_bad};
        struct pack_source source;
        const struct frame_list *list;
        for (unsigned i = 0; i < 5; i++) {
            struct frame_job *job = frames_next(frames, &err);
            add_readings(&job->plain, 10000 + i, i);
            frames_give(frames, job);
        }
        assert_true(frames_finish(frames, &err));
        list = frames_written(frames);
        assert_int_equal(list->count, 5);
        source = memory_source(&packed);
        assert_true(frames_prove(&source, (enum olv_codec)codec, list, 2, &proof, &err));
        packed.data[list->items[3].at + list->items[3].length / 2] ^= 1;
        assert_false(frames_prove(&source, (enum olv_codec)codec, list, 2, &proof, &err));
        assert_int_equal(bad.count, 1);
        assert_int_equal(bad.last, 3);
        assert_int_equal(err.code, OLV_BROKEN);
        frames_free(frames);
        olv_text_free(&packed);
    }
}

/* What no checksum of the format covers (times and names in headers, spare bits, tables) is noticed as well,
 * and for what it is: the contents are there. */
static void a_proof_notices_every_byte(void **state)
{
    (void)state;
    for (int codec = OLV_CODEC_NONE; codec <= LAST; codec++) {
        struct olv_text packed = {0};
        struct frames_sink sink = {.self = &packed, .put = append};
        struct olv_error err = {0};
        struct frames *frames = frames_new((enum olv_codec)codec, quick_level(codec), 1, &sink, &err);
        struct bad_frames all = {0};
        struct pack_source source;
        for (unsigned i = 0; i < 3; i++) {
            struct frame_job *job = frames_next(frames, &err);
            add_readings(&job->plain, 300 + i, i);
            frames_give(frames, job);
        }
        assert_true(frames_finish(frames, &err));
        source = memory_source(&packed);
        for (size_t at = 0; at < packed.len; at++) {
            const struct frame *last = &frames_written(frames)->items[2];
            struct bad_frames bad = {0};
            struct frames_proof proof = {.self = &bad, .bad = note_bad};
            packed.data[at] ^= 0x10;
            err = (struct olv_error){0};
            assert_false(
                frames_prove(&source, (enum olv_codec)codec, frames_written(frames), 1, &proof, &err));
            packed.data[at] ^= 0x10;
            assert_int_equal(bad.count, 1);
            if (at >= last->at + last->length)
                assert_int_equal(bad.last, 3);
            assert_true(bad.last < 3 || !bad.lost);
            all.lost += bad.lost;
            all.count++;
        }
        assert_true(all.lost > 0 && (codec != OLV_CODEC_NONE || all.lost == all.count));
        assert_true(codec != OLV_CODEC_GZIP || all.lost < all.count);
        frames_free(frames);
        olv_text_free(&packed);
    }
}

static void the_suffix_tells_the_codec(void **state)
{
    (void)state;
    assert_int_equal(olv_codec_of_name("gauge-2.csv.zst"), OLV_CODEC_ZSTD);
    assert_int_equal(olv_codec_of_name("gauge-2.gz"), OLV_CODEC_GZIP);
    assert_int_equal(olv_codec_of_name(".gz"), OLV_CODEC_NONE);
    assert_int_equal(olv_codec_of_name("gauge.csv"), OLV_CODEC_NONE);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_was_packed_is_unpacked_the_same),
        cmocka_unit_test(every_level_of_a_format_is_taken),
        cmocka_unit_test(the_libraries_read_our_frames),
        cmocka_unit_test(what_others_wrote_and_joined_is_read),
        cmocka_unit_test(what_is_cut_short_is_told_and_its_beginning_given),
        cmocka_unit_test(a_flipped_bit_is_told),
        cmocka_unit_test(zeros_at_the_end_are_padding_and_all_else_is_not),
        cmocka_unit_test(a_seek_table_that_does_not_fit_is_not_believed),
        cmocka_unit_test(a_proof_names_the_damaged_frames),
        cmocka_unit_test(a_proof_notices_every_byte),
        cmocka_unit_test(the_suffix_tells_the_codec),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
