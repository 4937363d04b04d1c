/* SPDX-License-Identifier: Apache-2.0 */
/* Docket segments, and the sorter that puts them in order for people. */
#include "act/acts.h"
#include "olvido/docket.h"
#include "olvido/sorter.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static struct olv_docket_entry entry(uint32_t rule, const char *rule_name, const char *directory,
                                     uint64_t inode, const char *name)
{
    struct olv_docket_entry e = {.rule = rule,
                                 .step = 2,
                                 .rule_name = rule_name,
                                 .act = &act_discard,
                                 .due = {-5, 7},
                                 .directory = directory,
                                 .at = {3, 4, inode, {0}},
                                 .name = name,
                                 .target = ""};
    e.identity = (struct olv_identity){.kind = OLV_KIND_FILE,
                                       .has_born = true,
                                       .mount = 3,
                                       .inode = 99,
                                       .size_bytes = UINT64_MAX,
                                       .modified = {-1, 999999999},
                                       .changed = {5, 6},
                                       .born = {7, 8}};
    return e;
}

static struct olv_segment_writer two_directories(void)
{
    struct olv_segment_writer w = {0};
    struct olv_docket_entry a = entry(0, "scratch", "/srv/tides/scratch", 1, "two\nlines"),
                            b = entry(7, "readings", "/srv", 2, "mar\xE9"),
                            c = entry(0, "scratch", "/srv", 2, "c");
    c.target = "/srv/elsewhere/c";
    olv_segment_begin(&w);
    olv_segment_add(&w, &a);
    olv_segment_add(&w, &b);
    olv_segment_add(&w, &c);
    return w;
}

static void what_is_written_is_read(void **state)
{
    struct olv_segment_writer w = two_directories();
    struct olv_error err;
    struct olv_segment_reader *r = olv_segment_open(w.bytes.data, w.bytes.len, &err);
    struct olv_docket_entry e;
    (void)state;
    assert_true(olv_segment_next(r, &e, &err));
    assert_string_equal(e.name, "two\nlines");
    assert_string_equal(e.rule_name, "scratch");
    assert_string_equal(e.directory, "/srv/tides/scratch");
    assert_int_equal(e.step, 2);
    assert_int_equal(e.due.s, -5);
    assert_true(e.identity.size_bytes == UINT64_MAX);
    assert_int_equal(e.identity.modified.s, -1);
    assert_int_equal(e.identity.modified.ns, 999999999);
    assert_true(olv_segment_next(r, &e, &err));
    assert_string_equal(e.name, "mar\xE9");
    assert_int_equal(e.rule, 7);
    assert_true(olv_segment_next(r, &e, &err));
    assert_int_equal(e.number, 2);
    assert_string_equal(e.rule_name, "scratch");
    assert_string_equal(e.target, "/srv/elsewhere/c");
    assert_false(olv_segment_next(r, &e, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_segment_close(r);
    olv_segment_free(&w);
}

/* Reads a segment to its end, whatever it holds; true when it was sound. */
static bool read_all(const char *bytes, size_t len)
{
    struct olv_error err = {0};
    struct olv_segment_reader *r = olv_segment_open(bytes, len, &err);
    struct olv_docket_entry e;
    if (!r)
        return false;
    while (olv_segment_next(r, &e, &err))
        assert_non_null(e.name);
    olv_segment_close(r);
    return err.code == OLV_OK;
}

static void damage_is_noticed_and_never_reads_beyond_the_end(void **state)
{
    struct olv_segment_writer w = two_directories();
    (void)state;
    for (size_t cut = 1; cut < w.bytes.len; cut++) {
        char *piece = malloc(cut); /* exactly so large, so that the sanitizer sees a byte too far */
        memcpy(piece, w.bytes.data, cut);
        read_all(piece, cut);
        free(piece);
    }
    assert_false(read_all(w.bytes.data, w.bytes.len - 1));
    for (size_t at = 0; at < w.bytes.len; at++)
        for (int bit = 0; bit < 8; bit++) {
            w.bytes.data[at] = (char)(w.bytes.data[at] ^ (1 << bit));
            read_all(w.bytes.data, w.bytes.len);
            w.bytes.data[at] = (char)(w.bytes.data[at] ^ (1 << bit));
        }
    assert_true(read_all(w.bytes.data, w.bytes.len));
    w.bytes.data[7] = '3'; /* the version before */
    assert_false(read_all(w.bytes.data, w.bytes.len));
    olv_segment_free(&w);
}

static void a_spool_gives_its_segments_back_in_order(void **state)
{
    struct olv_error err;
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_text text = {0}, back = {0};
    (void)state;
    for (int i = 0; i < 100; i++) {
        olv_text_clear(&text);
        for (int k = 0; k <= i * 37; k++)
            olv_text_printf(&text, "%d,", i);
        assert_true(olv_spool_add(spool, &text, &err));
    }
    for (int pass = 0; pass < 2; pass++) {
        assert_true(olv_spool_rewind(spool, &err));
        for (int i = 0; i < 100; i++) {
            assert_true(olv_spool_next(spool, &back, &err));
            assert_int_equal(atoi(back.data), i);
        }
        assert_false(olv_spool_next(spool, &back, &err));
        assert_int_equal(err.code, OLV_OK);
    }
    olv_text_free(&text);
    olv_text_free(&back);
    olv_spool_free(spool);
}

static void same_archive(const struct olv_docket_entry *e, struct olv_text *out)
{
    (void)e;
    olv_text_puts(out, "one archive");
}

/* Fills a spool with entries in directories with paths of 100,000 bytes, and counts its segments. */
static unsigned segments_of_long_paths(unsigned count, olv_compose_key key_of, size_t most_bytes)
{
    enum { LENGTH = 100000 };
    struct olv_error err = {0};
    struct olv_spool *spool = olv_spool_new(&err);
    struct olv_composing composing;
    struct olv_text segment = {0};
    unsigned segments = 0, entries = 0;
    char *path = calloc(1, LENGTH + 1);
    olv_compose_begin(&composing, spool, key_of);
    for (unsigned i = 0; i < count; i++) {
        struct olv_docket_entry e;
        memset(path, 'd', LENGTH);
        path[0] = '/';
        path[1 + i % (LENGTH - 1)] = 'x';
        e = entry(0, "scratch", path, 1, "f");
        assert_true(olv_compose_add(&composing, &e, &err));
    }
    assert_true(olv_compose_end(&composing, &err));
    assert_true(olv_spool_rewind(spool, &err));
    while (olv_spool_next(spool, &segment, &err)) {
        struct olv_segment_reader *r = olv_segment_open(segment.data, segment.len, &err);
        struct olv_docket_entry e;
        assert_in_range(segment.len, 1, most_bytes + LENGTH + 1000);
        while (olv_segment_next(r, &e, &err))
            assert_int_equal(e.directory[1 + entries++], 'x'); /* none is lost, and each in its place */
        olv_segment_close(r);
        segments++;
    }
    assert_int_equal(err.code, OLV_OK);
    assert_int_equal(entries, count);
    free(path);
    olv_text_free(&segment);
    olv_spool_free(spool);
    return segments;
}

static void long_paths_fill_a_segment_sooner(void **state)
{
    (void)state;
    assert_in_range(segments_of_long_paths(200, NULL, OLV_SEGMENT_BYTES), 9, 11);
    assert_in_range(segments_of_long_paths(400, same_archive, OLV_SEGMENT_MOST_BYTES), 2, 2);
}

/* Many times the sorter's buffer, so that runs are written and merged. */
static void more_records_than_memory_come_out_in_order(void **state)
{
    enum { COUNT = 60000, LENGTH = 1500 };
    struct olv_error err;
    struct olv_sorter *sorter = olv_sorter_new(&err);
    struct olv_sorted record;
    struct olv_instant last = {INT64_MIN, 0};
    char *bytes = calloc(1, LENGTH);
    uint32_t seed = 1, count = 0;
    uint64_t sum = 0, back = 0;
    (void)state;
    for (int i = 0; i < COUNT; i++) {
        seed = seed * 1664525u + 1013904223u;
        memcpy(bytes, &seed, sizeof seed);
        sum += seed;
        assert_true(olv_sorter_add(
            sorter, (struct olv_sorted){{seed % 5000, seed % 7}, bytes, 4 + seed % (LENGTH - 4)}, &err));
    }
    while (olv_sorter_next(sorter, &record, &err)) {
        uint32_t number;
        assert_true(olv_instant_compare(last, record.key) <= 0);
        last = record.key;
        memcpy(&number, record.bytes, sizeof number);
        assert_int_equal(record.len, 4 + number % (LENGTH - 4));
        back += number;
        count++;
    }
    assert_int_equal(err.code, OLV_OK);
    assert_int_equal(count, COUNT);
    assert_true(sum == back);
    free(bytes);
    olv_sorter_free(sorter);
}

static void an_empty_sorter_has_nothing(void **state)
{
    struct olv_error err;
    struct olv_sorter *sorter = olv_sorter_new(&err);
    struct olv_sorted record;
    (void)state;
    assert_false(olv_sorter_next(sorter, &record, &err));
    assert_int_equal(err.code, OLV_OK);
    olv_sorter_free(sorter);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_written_is_read),
        cmocka_unit_test(damage_is_noticed_and_never_reads_beyond_the_end),
        cmocka_unit_test(a_spool_gives_its_segments_back_in_order),
        cmocka_unit_test(long_paths_fill_a_segment_sooner),
        cmocka_unit_test(more_records_than_memory_come_out_in_order),
        cmocka_unit_test(an_empty_sorter_has_nothing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
