/* SPDX-License-Identifier: Apache-2.0 */
/* What a manifest says of members is read again as it was said. */
#include "archive/manifest.h"
#include "archive/manifest_member.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const struct olv_member plain = {.path = "srv/tides/g1.csv",
                                        .link = "",
                                        .kind = OLV_KIND_FILE,
                                        .mode = 0640,
                                        .owner = 1000,
                                        .group = 100,
                                        .owner_name = "keeper",
                                        .group_name = "tides",
                                        .size_bytes = 1234,
                                        .modified = {1700000000, 123456789},
                                        .acl = "",
                                        .acl_default = ""};

/* ---- a manifest's lines, one after the other ---- */

struct lines {
    char *items[32];
    size_t count;
};

static bool keep(void *self, const char *text, size_t len, struct olv_error *err)
{
    struct lines *l = self;
    (void)err;
    assert_true(l->count < 32);
    l->items[l->count] = malloc(len + 1);
    assert_non_null(l->items[l->count]);
    memcpy(l->items[l->count], text, len);
    l->items[l->count++][len] = '\0';
    return true;
}

static void free_lines(struct lines *l)
{
    for (size_t i = 0; i < l->count; i++)
        free(l->items[i]);
}

static void read_lines(struct manifest *m, const struct frame_list *frames, size_t piece, struct lines *out)
{
    struct olv_error err = {0};
    struct manifest_feed feed = {0};
    uint8_t bytes[512];
    assert_true(manifest_close(m, frames, &err));
    for (uint64_t at = 0; at < manifest_length(m); at += piece) {
        uint64_t left = manifest_length(m) - at;
        size_t n = left < piece ? (size_t)left : piece;
        assert_true(manifest_read(m, bytes, n, at, &err));
        assert_true(manifest_feed_add(&feed, bytes, n, keep, out, &err));
    }
    manifest_feed_free(&feed);
}

/* Writes a member into a manifest of its own and reads it back. */
static void there_and_back(const struct made_member *made, struct manifest_member *out)
{
    struct olv_error err = {0};
    struct manifest *m = manifest_new("20260203-0405-abcd", "gauges", OLV_CODEC_ZSTD, &err);
    struct frame_list none = {0};
    struct lines lines = {.count = 0};
    json_t *json;
    assert_non_null(m);
    manifest_add(m, made);
    read_lines(m, &none, 100, &lines);
    assert_int_equal(lines.count, 3);
    json = json_loads(lines.items[1], 0, NULL);
    assert_non_null(json);
    assert_true(manifest_member_read(out, json));
    json_decref(json);
    free_lines(&lines);
    manifest_free(m);
}

static void assert_same(const struct olv_member *a, const struct olv_member *b)
{
    assert_string_equal(a->path, b->path);
    assert_string_equal(a->link, b->link);
    assert_int_equal(a->is_hard_link, b->is_hard_link);
    assert_true(a->is_hard_link || a->kind == b->kind);
    assert_int_equal(a->mode, b->mode);
    assert_int_equal(a->owner, b->owner);
    assert_int_equal(a->group, b->group);
    assert_true(a->size_bytes == b->size_bytes);
    assert_true(a->modified.s == b->modified.s && a->modified.ns == b->modified.ns);
    assert_int_equal(a->has_accessed, b->has_accessed);
    assert_true(!a->has_accessed || (a->accessed.s == b->accessed.s && a->accessed.ns == b->accessed.ns));
    assert_int_equal(a->attribute_count, b->attribute_count);
    for (size_t i = 0; i < a->attribute_count; i++) {
        assert_string_equal(a->attributes[i].name, b->attributes[i].name);
        assert_int_equal(a->attributes[i].len, b->attributes[i].len);
        assert_memory_equal(a->attributes[i].value, b->attributes[i].value, a->attributes[i].len);
    }
}

static void check(const struct olv_member *member)
{
    struct made_member made = {.member = member, .frame = 7, .at = 123456789012};
    struct manifest_member back = {0};
    there_and_back(&made, &back);
    assert_same(member, &back.member);
    assert_true(back.made.frame == 7 && back.made.at == 123456789012);
    assert_false(back.made.has_digest);
    manifest_member_free(&back);
}

/* ---- members ---- */

static void each_kind_of_member(void **state)
{
    static const enum olv_kind kinds[] = {OLV_KIND_FILE, OLV_KIND_DIRECTORY, OLV_KIND_LINK, OLV_KIND_PIPE,
                                          OLV_KIND_DEVICE};
    (void)state;
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0]; i++) {
        struct olv_member m = plain;
        m.kind = kinds[i];
        m.link = m.kind == OLV_KIND_LINK ? "../g2.csv" : "";
        m.major = m.kind == OLV_KIND_DEVICE ? 8 : 0;
        check(&m);
        m.is_hard_link = true;
        m.link = "srv/tides/first.csv";
        check(&m);
    }
}

static void names_of_any_bytes(void **state)
{
    static const char *const names[] = {"a",
                                        "\xff\xfe",
                                        "quote\"and\\slash",
                                        "line\nbreak\ttab",
                                        "\xc3\xa9t\xc3\xa9",
                                        "\x01\x1f\x7f",
                                        "with blank "};
    (void)state;
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        struct olv_member m = plain;
        m.path = names[i];
        check(&m);
        m = plain;
        m.kind = OLV_KIND_LINK;
        m.link = names[i];
        check(&m);
    }
}

static void times_on_both_sides_of_1970(void **state)
{
    static const struct olv_instant times[] = {{0, 0},           {0, 1},          {-1, 999999999},
                                               {-2208988800, 0}, {4102444800, 5}, {253402300799, 999999999}};
    (void)state;
    for (size_t i = 0; i < sizeof times / sizeof times[0]; i++) {
        struct olv_member m = plain;
        m.modified = times[i];
        m.has_accessed = true;
        m.accessed = times[sizeof times / sizeof times[0] - 1 - i];
        check(&m);
    }
}

static void numbers_of_any_size(void **state)
{
    static const uint64_t sizes[] = {0, 1, 8589934592, 9007199254740991, 9007199254740993, INT64_MAX};
    (void)state;
    for (size_t i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        struct olv_member m = plain;
        m.size_bytes = sizes[i];
        m.owner = UINT32_MAX - 1;
        m.mode = 07777;
        check(&m);
    }
    for (unsigned mode = 0; mode <= 07777; mode += 0111) {
        struct olv_member m = plain;
        m.mode = mode;
        check(&m);
    }
}

static void attributes_of_any_bytes(void **state)
{
    static uint8_t long_value[1000];
    const struct olv_member_attribute attributes[] = {{"user.station", "faro", 4},
                                                      {"user.nothing", "", 0},
                                                      {"user.bytes", "\0\xff\x80", 3},
                                                      {"user.\xff", "x", 1},
                                                      {"user.long", long_value, sizeof long_value}};
    struct olv_member m = plain;
    (void)state;
    for (size_t i = 0; i < sizeof long_value; i++)
        long_value[i] = (uint8_t)(i * 7);
    m.attributes = attributes;
    for (m.attribute_count = 0; m.attribute_count <= 5; m.attribute_count++)
        check(&m);
}

static void digests_and_clocks(void **state)
{
    struct made_member made = {.member = &plain, .has_digest = true, .has_clock = true};
    struct manifest_member back = {0};
    (void)state;
    for (size_t i = 0; i < sizeof made.digest; i++)
        made.digest[i] = (uint8_t)(i * 9);
    made.clock = OLV_CLOCK_BORN;
    made.clock_time = (struct olv_instant){1600000000, 7};
    there_and_back(&made, &back);
    assert_true(back.made.has_digest && back.made.has_clock);
    assert_memory_equal(back.made.digest, made.digest, sizeof made.digest);
    assert_int_equal(back.made.clock, OLV_CLOCK_BORN);
    assert_true(back.made.clock_time.s == 1600000000 && back.made.clock_time.ns == 7);
    /* One after the other: nothing of the one before is left. */
    made.has_digest = made.has_clock = false;
    there_and_back(&made, &back);
    assert_false(back.made.has_digest || back.made.has_clock);
    manifest_member_free(&back);
}

/* ---- the whole ---- */

static void lines_are_in_their_order(void **state)
{
    struct olv_error err = {0};
    struct manifest *m = manifest_new("20260203-0405-abcd", "gauges", OLV_CODEC_ZSTD, &err);
    struct frame_list frames = {0};
    struct lines lines = {.count = 0};
    struct made_member made = {.member = &plain};
    (void)state;
    for (uint32_t i = 0; i < 3; i++) {
        memset(made.header, (int)(7 + i), sizeof made.header);
        manifest_add(m, &made);
    }
    for (uint32_t i = 0; i < 2; i++)
        assert_true(frame_list_add(&frames, (struct frame){100 * i, 100, 5000, 0xABCDEF, 0x123 + i}));
    read_lines(m, &frames, 7, &lines);
    assert_int_equal(lines.count, 1 + 3 + 2 + 1);
    assert_contains(lines.items[0], "\"olvido\":\"archive\",\"version\":1,\"id\":\"");
    assert_contains(lines.items[0],
                    "\",\"run\":\"20260203-0405-abcd\",\"rule\":\"gauges\",\"packed\":\"zstd\",\"made\":\"");
    assert_contains(lines.items[4], "\"frame\":0,\"begins\":0,\"length\":100,\"plain\":5000,"
                                    "\"check\":\"0000000000abcdef\",\"packed_check\":\"0000000000000123\"");
    assert_contains(lines.items[5], "\"frame\":1,\"begins\":100,");
    assert_string_equal(
        lines.items[6],
        "{\"members\":3,\"bytes\":3702,\"headers\":"
        "\"5c695d1d483829188accbb745835020e1c1d3540211f4b4e81d133bf7b606542\"}"); /* by Python's hashlib */
    assert_true(manifest_bytes(m) == 3702);
    free_lines(&lines);
    frame_list_free(&frames);
    manifest_free(m);
}

static void what_makes_no_sense_is_refused(void **state)
{
    static const char *const bad[] = {
        "{}",
        "{\"path\":7,\"modified\":\"2026-01-02T03:04:05Z\"}",
        "{\"path\":\"x\"}",
        "{\"path\":\"x\",\"modified\":\"yesterday\"}",
        "{\"path\":\"x\",\"modified\":\"2026-13-02T03:04:05Z\"}",
        "{\"path\":\"x\",\"modified\":\"2026-01-02T03:04:05Z\",\"attributes\":[7]}",
        ("{\"path\":\"x\",\"modified\":\"2026-01-02T03:04:05Z\",\"attributes\":[{\"name\":\"user.a\","
         "\"value_b64\":\"*\"}]}"),
    };
    (void)state;
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        struct manifest_member m = {0};
        json_t *json = json_loads(bad[i], 0, NULL);
        assert_non_null(json);
        assert_false(manifest_member_read(&m, json));
        json_decref(json);
        manifest_member_free(&m);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_kind_of_member),         cmocka_unit_test(names_of_any_bytes),
        cmocka_unit_test(times_on_both_sides_of_1970), cmocka_unit_test(numbers_of_any_size),
        cmocka_unit_test(attributes_of_any_bytes),     cmocka_unit_test(digests_and_clocks),
        cmocka_unit_test(lines_are_in_their_order),    cmocka_unit_test(what_makes_no_sense_is_refused),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
