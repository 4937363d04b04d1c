/* SPDX-License-Identifier: Apache-2.0 */
/* Frames of zip archives: what goes in comes out as the same plain bytes, however the bytes come; and what is
 * damaged is told. */
#include "base/bytes.h"
#include "pack/frames.h"
#include "pack/tar.h"
#include "pack/zip.h"
#include "pack/zip_frame.h"
#include "pack/zip_parts.h"
#include "support/sandbox.h"

#include <stdlib.h>
#include <string.h>

struct made {
    struct olv_text plain, packed;
    struct frames *frames;
};

static bool put(void *self, const void *bytes, size_t len, struct olv_error *err)
{
    struct made *m = self;
    (void)err;
    olv_text_add(&m->packed, bytes, len);
    return !m->packed.failed;
}

static void begin(struct made *m)
{
    struct frames_sink sink = {m, put, NULL};
    struct olv_error err = {0};
    *m = (struct made){.frames = NULL};
    m->frames = frames_new(OLV_CODEC_ZIP, 6, 2, &sink, &err);
    assert_non_null(m->frames);
}

static struct olv_member member_of(const char *path, enum olv_kind kind, uint64_t size)
{
    return (struct olv_member){.path = path,
                               .link = kind == OLV_KIND_LINK ? "../north/gauge" : "",
                               .kind = kind,
                               .has_owner = true,
                               .mode = 0640,
                               .owner = 70000,
                               .group = 7,
                               .owner_name = "",
                               .group_name = "",
                               .size_bytes = size,
                               .modified = {1700000000, 123456789},
                               .acl = "",
                               .acl_default = ""};
}

/* A member with contents of this length; text that shrinks, or bytes that do not. */
static void add(struct made *m, const char *path, enum olv_kind kind, size_t size, bool is_noise)
{
    struct olv_member member = member_of(path, kind, size);
    struct olv_error err = {0};
    struct frame_job *job = frames_next(m->frames, &err);
    bool is_large = false, is_first = true;
    size_t at = 0;
    uint64_t state = size + 1;
    assert_non_null(job);
    tar_put_member(&job->plain, &member);
    job->data_at = job->plain.len;
    is_large = job->plain.len + size > FRAME_BYTES;
    assert_true(zip_put_local(&job->head, &member, job->plain.data, job->plain.len, is_large, &err));
    for (;;) {
        while (at < size && job->plain.len < FRAME_BYTES) {
            char byte = "tide gauge "[at % 11];
            state = state * 6364136223846793005u + 1442695040888963407u;
            if (is_noise)
                byte = (char)(state >> 56);
            olv_text_add(&job->plain, &byte, 1);
            at++;
        }
        frame_job_end(job, is_first, at == size);
        if (at == size)
            break;
        is_first = false;
        olv_text_add(&m->plain, job->plain.data, job->plain.len);
        frames_give(m->frames, job);
        assert_non_null(job = frames_next(m->frames, &err));
    }
    tar_put_padding(&job->plain, size);
    olv_text_add(&m->plain, job->plain.data, job->plain.len);
    frames_give(m->frames, job);
}

/* One of each kind: small, large, empty, of bytes that do not shrink, a directory, a link, a pipe. */
static void add_all(struct made *m)
{
    add(m, "srv/tides/a.csv", OLV_KIND_FILE, 5000, false);
    add(m, "srv/tides/large.csv", OLV_KIND_FILE, 2 * FRAME_BYTES + 77, false);
    add(m, "srv/tides/empty", OLV_KIND_FILE, 0, false);
    add(m, "srv/tides/noise", OLV_KIND_FILE, FRAME_BYTES + 1, true);
    add(m, "srv/tides", OLV_KIND_DIRECTORY, 0, false);
    add(m, "srv/tides/l", OLV_KIND_LINK, 0, false);
    add(m, "srv/tides/p", OLV_KIND_PIPE, 0, false);
    add(m, "srv/tides/last", OLV_KIND_FILE, 512, true);
}

static void finish(struct made *m)
{
    struct olv_error err = {0};
    assert_true(frames_finish(m->frames, &err));
    assert_false(m->packed.failed || m->plain.failed);
}

static void end(struct made *m)
{
    frames_free(m->frames);
    olv_text_free(&m->plain);
    olv_text_free(&m->packed);
}

static void every_frame_gives_back_its_plain_bytes(void **state)
{
    struct decoder *d = decoder_new(OLV_CODEC_ZIP);
    const struct frame_list *list;
    struct made m;
    size_t at = 0;
    char *room = malloc(2 * FRAME_BYTES);
    (void)state;
    begin(&m);
    add_all(&m);
    finish(&m);
    list = frames_written(m.frames);
    assert_int_equal(list->count, 11); /* three for the large one, two for the noise */
    for (size_t i = 0; i < list->count; i++) {
        const struct frame *f = &list->items[i];
        assert_int_equal(decoder_frame(d, m.packed.data + f->at, f->length, room, f->plain_length),
                         f->plain_length);
        assert_memory_equal(room, m.plain.data + at, f->plain_length);
        assert_true(frame_check(room, f->plain_length) == f->check);
        assert_int_equal(decoder_frame(d, m.packed.data + f->at, f->length - 1, room, f->plain_length), -1);
        assert_int_equal(decoder_frame(d, m.packed.data + f->at, f->length, room, f->plain_length - 1), -1);
        at += f->plain_length;
    }
    assert_int_equal(at, m.plain.len);
    free(room);
    decoder_free(d);
    end(&m);
}

/* As they are read when nothing is known of where frames lie: in steps of any length, each ends where it
 * ends. */
static void frames_are_told_apart_as_they_come(void **state)
{
    static const size_t steps[][2] = {{1, 7}, {7, 1}, {4096, 100000}, {SIZE_MAX, SIZE_MAX}};
    struct decoder *d = decoder_new(OLV_CODEC_ZIP);
    const struct frame_list *list;
    struct made m;
    uint8_t *room;
    (void)state;
    begin(&m);
    add(&m, "a", OLV_KIND_FILE, 3000, false);
    add(&m, "large", OLV_KIND_FILE, FRAME_BYTES + 3000, false);
    add(&m, "l", OLV_KIND_LINK, 0, false);
    finish(&m);
    list = frames_written(m.frames);
    room = malloc(m.plain.len);
    for (size_t s = 0; s < sizeof steps / sizeof *steps; s++) {
        size_t in = 0, out = 0, ends = 0;
        while (ends < list->count) {
            size_t in_len = list->items[list->count - 1].at + list->items[list->count - 1].length - in,
                   out_len = m.plain.len - out;
            struct decoder_io io = {(const uint8_t *)m.packed.data + in,
                                    in_len < steps[s][0] ? in_len : steps[s][0], room + out,
                                    out_len < steps[s][1] ? out_len : steps[s][1]};
            size_t given_in = io.in_len, given_out = io.out_len;
            struct olv_error err = {0};
            enum decoded now = decoder_run(d, &io, &err);
            assert_int_not_equal(now, DECODED_BROKEN);
            in += given_in - io.in_len;
            out += given_out - io.out_len;
            if (now == DECODED_END) {
                assert_int_equal(in, list->items[ends].at + list->items[ends].length);
                ends++;
            }
        }
        assert_int_equal(out, m.plain.len);
        assert_memory_equal(room, m.plain.data, out);
    }
    free(room);
    decoder_free(d);
    end(&m);
}

struct memory {
    const struct olv_text *bytes;
};

static bool read_memory(void *self, void *out, size_t len, uint64_t at, struct olv_error *err)
{
    const struct memory *m = self;
    (void)err;
    memcpy(out, m->bytes->data + at, len);
    return true;
}

/* Our own reader gets back everything that the tar header says. */
static void the_reader_sees_all_that_went_in(void **state)
{
    struct made m;
    struct olv_error err = {0};
    struct olv_member member;
    struct zip_reader *zip;
    static const char *const paths[] = {"srv/tides/a.csv", "srv/tides/large.csv", "srv/tides/empty",
                                        "srv/tides/noise", "srv/tides",           "srv/tides/l",
                                        "srv/tides/p",     "srv/tides/last"};
    (void)state;
    begin(&m);
    add_all(&m);
    finish(&m);
    struct memory memory = {&m.packed};
    struct pack_source source = {&memory, read_memory, m.packed.len};
    zip = zip_reader_new(&source, &err);
    assert_non_null(zip);
    for (size_t i = 0; i < 8; i++) {
        const uint8_t *bytes;
        size_t len = 1;
        uint64_t at, total = 0;
        assert_true(zip_next(zip, &member, &err));
        assert_string_equal(member.path, paths[i]);
        assert_int_equal(member.owner, 70000);
        assert_int_equal(member.modified.ns, 123456789);
        if (member.kind == OLV_KIND_LINK)
            assert_string_equal(member.link, "../north/gauge");
        while (member.kind == OLV_KIND_FILE && len) {
            assert_true(zip_data(zip, &bytes, &len, &at, &err));
            total += len;
        }
        assert_int_equal(total, member.size_bytes);
    }
    assert_false(zip_next(zip, &member, &err));
    assert_int_equal(err.code, OLV_OK);
    zip_reader_free(zip);
    end(&m);
}

/* A frame with one byte changed either does not decode, or does not decode to the same. */
static void a_changed_byte_is_noticed(void **state)
{
    struct decoder *d = decoder_new(OLV_CODEC_ZIP);
    struct made m;
    const struct frame *f;
    char room[8192];
    (void)state;
    begin(&m);
    add(&m, "srv/tides/a.csv", OLV_KIND_FILE, 5000, false);
    finish(&m);
    f = &frames_written(m.frames)->items[0];
    for (size_t i = 0; i < f->length; i++) {
        struct zip_local l;
        long got;
        m.packed.data[i] ^= 0x21;
        got = decoder_frame(d, m.packed.data, f->length, room, f->plain_length);
        if (got == (long)f->plain_length && frame_check(room, f->plain_length) == f->check) {
            /* Then it is one that the plain bytes do not depend on: of the name, say, for other readers. */
            assert_true(zip_local_read((const uint8_t *)m.packed.data, f->length, &l));
            assert_true(i < l.length);
        }
        m.packed.data[i] ^= 0x21;
    }
    decoder_free(d);
    end(&m);
}

/* Beyond four bytes, entries and the end have the larger fields (zip64). */
static void what_lies_far_behind_is_found(void **state)
{
    const uint64_t far = (uint64_t)5 << 30;
    struct zip_directory *directory = zip_directory_new();
    struct olv_member member = member_of("srv/tides/a.csv", OLV_KIND_FILE, 0);
    struct frame_job job = {.part = FRAME_WHOLE};
    struct olv_text header = {0}, out = {0};
    struct olv_error err = {0};
    const uint8_t *entry, *end64;
    (void)state;
    tar_put_member(&header, &member);
    assert_true(zip_put_local(&job.packed, &member, header.data, header.len, false, &err));
    assert_true(zip_directory_take(directory, &job, far, &err));
    zip_directory_end(directory, far + job.packed.len, &out);
    entry = (const uint8_t *)out.data;
    assert_int_equal(bytes_get32(entry), ZIP_CENTRAL_MAGIC);
    assert_int_equal(bytes_get32(entry + 42), UINT32_MAX);
    entry += ZIP_CENTRAL + strlen(member.path);
    assert_int_equal(bytes_get16(entry), ZIP_TAG_64);
    assert_int_equal(bytes_get16(entry + 2), 8); /* its place only: the lengths fit */
    assert_true(bytes_get64(entry + 4) == far);
    end64 = (const uint8_t *)out.data + out.len - ZIP_END - ZIP_LOCATOR64 - ZIP_END64;
    assert_int_equal(bytes_get32(end64), ZIP_END64_MAGIC);
    assert_true(bytes_get64(end64 + 32) == 1 && bytes_get64(end64 + 48) == far + job.packed.len);
    assert_int_equal(bytes_get32(end64 + ZIP_END64), ZIP_LOCATOR64_MAGIC);
    zip_directory_free(directory);
    olv_text_free(&job.packed);
    olv_text_free(&header);
    olv_text_free(&out);
}

static void more_attributes_than_fit_are_refused(void **state)
{
    char *value = malloc(70000);
    struct olv_member_attribute attribute = {"user.noise", value, 70000};
    struct olv_member member = member_of("a", OLV_KIND_FILE, 0);
    struct olv_text header = {0}, out = {0};
    struct olv_error err = {0};
    uint64_t state_of = 1;
    (void)state;
    for (size_t i = 0; i < 70000; i++)
        value[i] = (char)((state_of = state_of * 6364136223846793005u + 1442695040888963407u) >> 56);
    member.attributes = &attribute;
    member.attribute_count = 1;
    tar_put_member(&header, &member);
    assert_false(zip_put_local(&out, &member, header.data, header.len, false, &err));
    assert_int_equal(err.code, OLV_REFUSED);
    assert_int_equal(out.len, 0);
    olv_text_free(&header);
    olv_text_free(&out);
    free(value);
}

/* Frames are taken over from one archive into another, and the directory is right again. */
static void frames_are_taken_over_as_they_are(void **state)
{
    struct made from, to;
    struct olv_error err = {0};
    const struct frame_list *list;
    struct olv_member member;
    struct zip_reader *zip;
    (void)state;
    begin(&from);
    add_all(&from);
    finish(&from);
    begin(&to);
    list = frames_written(from.frames);
    for (size_t i = 1; i < list->count; i++) /* all but the first */
        assert_true(frames_copy(to.frames, from.packed.data + list->items[i].at, &list->items[i], &err));
    finish(&to);
    assert_int_equal(frames_written(to.frames)->count, list->count - 1);
    struct memory memory = {&to.packed};
    struct pack_source source = {&memory, read_memory, to.packed.len};
    zip = zip_reader_new(&source, &err);
    assert_non_null(zip);
    assert_true(zip_next(zip, &member, &err));
    assert_string_equal(member.path, "srv/tides/large.csv");
    assert_int_equal(member.size_bytes, 2 * FRAME_BYTES + 77);
    for (size_t len = 1; len;) {
        const uint8_t *bytes;
        uint64_t at;
        assert_true(zip_data(zip, &bytes, &len, &at, &err)); /* its checksum is right, too */
    }
    zip_reader_free(zip);
    end(&from);
    end(&to);
}

/* The directory says only what frames say, and every byte of the file is known by a digest. */
static void the_directory_follows_from_the_frames(void **state)
{
    struct olv_error err = {0};
    struct olv_text directory = {0};
    const struct frame_list *list;
    const struct frame *last;
    struct made m;
    (void)state;
    begin(&m);
    add_all(&m);
    finish(&m);
    list = frames_written(m.frames);
    last = &list->items[list->count - 1];
    struct memory memory = {&m.packed};
    struct pack_source source = {&memory, read_memory, m.packed.len};
    assert_true(frames_end(&source, OLV_CODEC_ZIP, list, &directory, &err));
    assert_int_equal(directory.len, m.packed.len - last->at - last->length);
    assert_memory_equal(directory.data, m.packed.data + last->at + last->length, directory.len);
    assert_true(list->end_check == frame_check(directory.data, directory.len));
    for (size_t i = 0; i < list->count; i++)
        assert_true(list->items[i].packed_check ==
                    frame_check(m.packed.data + list->items[i].at, list->items[i].length));
    /* A frame that is none any more: then nobody can tell. */
    m.packed.data[list->items[1].at] ^= 1;
    olv_text_clear(&directory);
    assert_false(frames_end(&source, OLV_CODEC_ZIP, list, &directory, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    olv_text_free(&directory);
    end(&m);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_frame_gives_back_its_plain_bytes),
        cmocka_unit_test(frames_are_told_apart_as_they_come),
        cmocka_unit_test(the_reader_sees_all_that_went_in),
        cmocka_unit_test(a_changed_byte_is_noticed),
        cmocka_unit_test(the_directory_follows_from_the_frames),
        cmocka_unit_test(what_lies_far_behind_is_found),
        cmocka_unit_test(more_attributes_than_fit_are_refused),
        cmocka_unit_test(frames_are_taken_over_as_they_are),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
