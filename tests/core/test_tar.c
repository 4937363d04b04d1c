/* SPDX-License-Identifier: Apache-2.0 */
/* The tar formats as bytes: what is written is read the same, however the bytes come; what is cut or altered
 * is told. */
#include "pack/tar.h"
#include "pack/tar_parts.h"
#include "support/sandbox.h"

#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct bytes {
    const struct olv_text *text;
    size_t at, step;
};

static bool next(void *self, const uint8_t **out, size_t *len, struct olv_error *err)
{
    struct bytes *b = self;
    size_t left = b->text->len - b->at;
    (void)err;
    *len = left < b->step ? left : b->step;
    *out = (const uint8_t *)b->text->data + b->at;
    b->at += *len;
    return true;
}

static struct olv_member plain_member(const char *path, enum olv_kind kind, uint64_t size)
{
    return (struct olv_member){.path = path,
                               .link = "",
                               .kind = kind,
                               .has_owner = true,
                               .mode = 0644,
                               .owner_name = "",
                               .group_name = "",
                               .size_bytes = size,
                               .modified = {1700000000, 0},
                               .acl = "",
                               .acl_default = ""};
}

/* Contents of this length: the bytes 0, 1, 2 and so on. */
static void put(struct olv_text *out, const struct olv_member *m)
{
    uint64_t len = m->kind == OLV_KIND_FILE && !m->is_hard_link ? tar_data_length(m) : 0;
    tar_put_member(out, m);
    for (uint64_t i = 0; i < len; i++) {
        char byte = (char)i;
        olv_text_add(out, &byte, 1);
    }
    tar_put_padding(out, len);
}

static void assert_data(struct tar_reader *r, const struct olv_member *m)
{
    struct olv_error err = {0};
    const uint8_t *bytes;
    size_t len = 1, given = 0, extent = 0;
    uint64_t at;
    while (len) {
        assert_true(tar_data(r, &bytes, &len, &at, &err));
        for (size_t i = 0; i < len; i++)
            assert_int_equal(bytes[i], (uint8_t)(given + i));
        if (m->is_sparse && len) {
            while (at >= m->extents[extent].at + m->extents[extent].length)
                extent++;
            assert_true(at >= m->extents[extent].at);
        } else if (len) {
            assert_int_equal(at, given);
        }
        given += len;
    }
    assert_int_equal(given, m->kind == OLV_KIND_FILE && !m->is_hard_link ? tar_data_length(m) : 0);
}

static void assert_same(const struct olv_member *a, const struct olv_member *b)
{
    assert_string_equal(a->path, b->path);
    assert_string_equal(a->link, b->link);
    assert_int_equal(a->kind, b->kind);
    assert_int_equal(a->is_hard_link, b->is_hard_link);
    assert_int_equal(a->mode, b->mode);
    assert_int_equal(a->owner, b->owner);
    assert_int_equal(a->group, b->group);
    assert_string_equal(a->owner_name, b->owner_name);
    assert_string_equal(a->group_name, b->group_name);
    assert_true(a->size_bytes == b->size_bytes);
    assert_true(a->modified.s == b->modified.s && a->modified.ns == b->modified.ns);
    assert_int_equal(a->has_accessed, b->has_accessed);
    assert_true(!a->has_accessed || (a->accessed.s == b->accessed.s && a->accessed.ns == b->accessed.ns));
    assert_string_equal(a->acl, b->acl);
    assert_string_equal(a->acl_default, b->acl_default);
    assert_int_equal(a->is_sparse, b->is_sparse);
    assert_int_equal(a->attribute_count, b->attribute_count);
    for (size_t i = 0; i < a->attribute_count; i++) {
        assert_string_equal(a->attributes[i].name, b->attributes[i].name);
        assert_int_equal(a->attributes[i].len, b->attributes[i].len);
        assert_memory_equal(a->attributes[i].value, b->attributes[i].value, a->attributes[i].len);
    }
    if (a->kind == OLV_KIND_DEVICE)
        assert_true(a->major == b->major && a->minor == b->minor && a->is_block == b->is_block);
}

/* One of each kind, with values at and beyond the edges of the fields. */
enum { MEMBERS = 14 };
static char long_path[1200], exact_path[101], prefixed_path[256];
static const struct olv_member_attribute attributes[] = {
    {"user.station", "north", 5}, {"user.a=b%", "\0\xff\n", 3}, {"user.empty", "", 0}};
static const struct olv_extent extents[] = {{0, 700}, {4096, 512}, {1 << 20, 3}};

static void make_members(struct olv_member m[MEMBERS])
{
    memset(long_path, 'd', sizeof long_path - 1);
    memset(exact_path, 'e', sizeof exact_path - 1);
    memset(prefixed_path, 'p', sizeof prefixed_path - 1);
    prefixed_path[150] = '/';
    m[0] = plain_member("srv/tides/a.csv", OLV_KIND_FILE, 1000);
    m[1] = plain_member("srv/tides", OLV_KIND_DIRECTORY, 0);
    m[1].mode = 01777;
    m[2] = plain_member("srv/tides/link", OLV_KIND_LINK, 0);
    m[2].link = "../a";
    m[3] = plain_member("srv/tides/b.csv", OLV_KIND_FILE, 0);
    m[3].is_hard_link = true;
    m[3].link = "srv/tides/a.csv";
    m[4] = plain_member("srv/tides/pipe", OLV_KIND_PIPE, 0);
    m[5] = plain_member("srv/tides/null", OLV_KIND_DEVICE, 0);
    m[5].major = 1;
    m[5].minor = 3;
    m[6] = plain_member(long_path, OLV_KIND_FILE, 512);
    m[7] = plain_member(exact_path, OLV_KIND_FILE, 513);
    m[8] = plain_member(prefixed_path, OLV_KIND_LINK, 0);
    m[8].link = long_path;
    m[9] = plain_member("odd\xff\nname", OLV_KIND_FILE, 1);
    m[9].owner_name = "mar\xe9"
                      "e";
    m[10] = plain_member("mar\xc3\xa9"
                         "e",
                         OLV_KIND_FILE, 3);
    m[10].owner = 4000000;
    m[10].group = 2097151;
    m[10].owner_name = "a user with quite a long name, as they say";
    m[10].modified = (struct olv_instant){-1000, 500000000};
    m[10].accessed = (struct olv_instant){1700000001, 1};
    m[10].has_accessed = true;
    m[11] = plain_member("attributes", OLV_KIND_FILE, 10);
    m[11].attributes = attributes;
    m[11].attribute_count = 3;
    m[11].acl = "user::rw-,user:1:r--,group::r--,mask::r--,other::---";
    m[12] = plain_member("sparse", OLV_KIND_FILE, (1 << 20) + 100);
    m[12].is_sparse = true;
    m[12].extents = extents;
    m[12].extent_count = 3;
    m[13] = plain_member("last", OLV_KIND_FILE, 511);
    m[13].modified = (struct olv_instant){((int64_t)1 << 35) + 1, 999999999};
}

static void every_member_is_read_as_it_was_written(void **state)
{
    static const size_t steps[] = {1, 7, 511, 512, 513, 1 << 20};
    struct olv_member members[MEMBERS], m;
    struct olv_text text = {0};
    (void)state;
    make_members(members);
    for (size_t i = 0; i < MEMBERS; i++)
        put(&text, &members[i]);
    tar_put_end(&text);
    for (size_t s = 0; s < sizeof steps / sizeof *steps; s++) {
        struct bytes bytes = {&text, 0, steps[s]};
        struct byte_stream stream = {&bytes, next};
        struct tar_reader *r = tar_reader_new(&stream, 0);
        struct olv_error err = {0};
        for (size_t i = 0; i < MEMBERS; i++) {
            assert_true(tar_next(r, &m, &err));
            assert_same(&m, &members[i]);
            if (i % 2 == s % 2) /* what is not read is passed over */
                assert_data(r, &members[i]);
        }
        assert_false(tar_next(r, &m, &err));
        assert_int_equal(err.code, OLV_OK);
        tar_reader_free(r);
    }
    olv_text_free(&text);
}

/* Wherever it is cut: the members before are whole, and then it is told; up to the mark of its end. */
static void what_is_cut_is_told(void **state)
{
    struct olv_member first = plain_member("first", OLV_KIND_FILE, 600),
                      second = plain_member("second with a name that is longer than the field for it has "
                                            "room, so that there is a header before its own one.csv",
                                            OLV_KIND_FILE, 100),
                      m;
    struct olv_text text = {0};
    size_t whole;
    (void)state;
    put(&text, &first);
    put(&text, &second);
    whole = text.len;
    tar_put_end(&text);
    for (size_t len = 0; len <= whole; len++) {
        struct olv_text cut = {.data = text.data, .len = len};
        struct bytes bytes = {&cut, 0, 4096};
        struct byte_stream stream = {&bytes, next};
        struct tar_reader *r = tar_reader_new(&stream, 0);
        struct olv_error err = {0};
        unsigned members = 0;
        while (tar_next(r, &m, &err))
            members++;
        assert_int_equal(err.code, OLV_BROKEN);
        assert_true(members <= 2);
        tar_reader_free(r);
    }
    olv_text_free(&text);
}

static void say_checksum(struct tar_block *b, uint32_t sum)
{
    char digits[16];
    snprintf(digits, sizeof digits, "%06o", (unsigned)sum);
    memcpy(b->chksum, digits, sizeof b->chksum);
}

/* Summed byte by byte, as the standard says, and as some old writers did. */
static void checksums_are_those_of_the_standard(void **state)
{
    struct tar_block b;
    unsigned char *bytes = (unsigned char *)&b;
    uint64_t x = 3;
    (void)state;
    for (int round = 0; round < 200; round++) {
        uint32_t as_unsigned = 0;
        int32_t as_signed = 0;
        for (size_t i = 0; i < sizeof b; i++) {
            x = x * 6364136223846793005u + 1442695040888963407u;
            bytes[i] = round == 0 ? 0xff : round == 1 ? 0 : (unsigned char)(x >> 56);
        }
        for (size_t i = 0; i < sizeof b; i++) {
            int byte = i >= 148 && i < 156 ? ' ' : bytes[i];
            as_unsigned += (uint32_t)byte;
            as_signed += byte < 128 ? byte : byte - 256;
        }
        assert_int_equal(tar_checksum(&b), as_unsigned);
        say_checksum(&b, as_unsigned);
        assert_true(tar_checksum_is_right(&b));
        if (as_signed > 0) {
            say_checksum(&b, (uint32_t)as_signed);
            assert_true(tar_checksum_is_right(&b));
        }
        say_checksum(&b, as_unsigned + 1);
        assert_int_equal(tar_checksum_is_right(&b), as_signed == (int32_t)as_unsigned + 1);
    }
}

/* A flipped bit in a header's block never gives another member without a word: its checksum is wrong. */
static void a_flipped_bit_in_a_header_is_told(void **state)
{
    struct olv_member written = plain_member("srv/tides/a.csv", OLV_KIND_FILE, 100), m;
    struct olv_text text = {0};
    (void)state;
    put(&text, &written);
    tar_put_end(&text);
    for (size_t bit = 0; bit < TAR_BLOCK * 8; bit++) {
        struct bytes bytes = {&text, 0, 4096};
        struct byte_stream stream = {&bytes, next};
        struct tar_reader *r = tar_reader_new(&stream, 0);
        struct olv_error err = {0};
        text.data[bit / 8] ^= (char)(1 << bit % 8);
        if (tar_next(r, &m, &err)) /* in the checksum itself there are bits that say the same */
            assert_true(bit / 8 >= 148 && bit / 8 < 156);
        else
            assert_int_equal(err.code, OLV_BROKEN);
        text.data[bit / 8] ^= (char)(1 << bit % 8);
        tar_reader_free(r);
    }
    olv_text_free(&text);
}

/* ---- numbers ---- */

static void assert_time(struct olv_instant modified, const char *record)
{
    struct olv_member m = plain_member("tides/a.csv", OLV_KIND_FILE, 0);
    struct olv_text out = {0};
    m.modified = modified;
    tar_put_member(&out, &m);
    assert_int_equal(out.len, *record ? 3 * TAR_BLOCK : TAR_BLOCK);
    if (*record)
        assert_string_equal(out.data + TAR_BLOCK, record);
    olv_text_free(&out);
}

/* POSIX.1-2001, pax, "mtime": seconds since 1970, with a fraction where there is one, and below it a sign. */
static void times_are_told_to_the_nanosecond(void **state)
{
    (void)state;
    assert_time((struct olv_instant){1700000000, 0}, "");
    assert_time((struct olv_instant){1700000000, 1}, "30 mtime=1700000000.000000001\n");
    assert_time((struct olv_instant){1700000000, 500000000}, "22 mtime=1700000000.5\n");
    assert_time((struct olv_instant){0, 120000000}, "14 mtime=0.12\n");
    assert_time((struct olv_instant){-2, 750000000}, "15 mtime=-1.25\n");
    assert_time((struct olv_instant){-1, 500000000}, "14 mtime=-0.5\n");
    assert_time((struct olv_instant){-5, 0}, "12 mtime=-5\n");
    assert_time((struct olv_instant){INT64_MAX, 0}, "29 mtime=9223372036854775807\n");
    assert_time((struct olv_instant){INT64_MIN, 0}, "30 mtime=-9223372036854775808\n");
}

/* The length counts its own digits: 99 and 101 are possible, 100 is not. */
static void records_count_their_own_length(void **state)
{
    char path[140];
    (void)state;
    for (size_t len = 60; len < sizeof path - 1; len++) {
        struct olv_member m = plain_member(path, OLV_KIND_FILE, 0);
        struct olv_text out = {0};
        char *end;
        memset(path, 'g', len);
        memcpy(path, "\xC3\xA9", 2); /* no ASCII, so it needs a record */
        path[len] = '\0';
        tar_put_member(&out, &m);
        assert_int_equal(strtoul(out.data + TAR_BLOCK, &end, 10), strlen(out.data + TAR_BLOCK));
        assert_memory_equal(end, " path=\xC3\xA9g", 9);
        olv_text_free(&out);
    }
}

static void put_sum(struct tar_block *b, long sum)
{
    char digits[32];
    snprintf(digits, sizeof digits, "%06lo", (unsigned long)sum);
    memcpy(b->chksum, digits, 7);
}

static void checksums_are_sums_of_bytes_signed_or_not(void **state)
{
    struct tar_block b;
    unsigned char *bytes = (unsigned char *)&b;
    (void)state;
    for (unsigned round = 0; round < 300; round++) {
        long as_unsigned = 8L * ' ', as_signed = 8L * ' ';
        for (size_t i = 0; i < sizeof b; i++) {
            bool is_own =
                i >= offsetof(struct tar_block, chksum) && i < offsetof(struct tar_block, chksum) + 8;
            bytes[i] = (unsigned char)(round == 0 ? 0xFF : (i * 31 + round * 7) * (round + i));
            as_unsigned += is_own ? 0 : bytes[i];
            as_signed += is_own ? 0 : (signed char)bytes[i];
        }
        assert_int_equal(tar_checksum(&b), as_unsigned);
        put_sum(&b, as_unsigned);
        assert_true(tar_checksum_is_right(&b));
        put_sum(&b, as_unsigned + 1);
        assert_false(tar_checksum_is_right(&b));
        if (as_signed < 0)
            continue;
        put_sum(&b, as_signed);
        assert_true(tar_checksum_is_right(&b));
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_member_is_read_as_it_was_written),
        cmocka_unit_test(what_is_cut_is_told),
        cmocka_unit_test(checksums_are_those_of_the_standard),
        cmocka_unit_test(a_flipped_bit_in_a_header_is_told),
        cmocka_unit_test(times_are_told_to_the_nanosecond),
        cmocka_unit_test(records_count_their_own_length),
        cmocka_unit_test(checksums_are_sums_of_bytes_signed_or_not),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
