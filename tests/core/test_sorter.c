/* SPDX-License-Identifier: Apache-2.0 */
/* The sorter: any number of records comes out in order, whatever they were in, in memory or from many runs.
 */
#include "olvido/sorter.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* A stream of numbers that is always the same. */
static uint32_t next_number(uint32_t *seed)
{
    *seed = *seed * 1664525u + 1013904223u;
    return *seed >> 8;
}

static void add(struct olv_sorter *sorter, int64_t key, const void *bytes, size_t len)
{
    struct olv_error err = {0};
    assert_true(olv_sorter_add(sorter, (struct olv_sorted){{key, 0}, bytes, len}, &err));
}

/* As the header says it: by key, then by bytes, the shorter one of two that begin alike first. */
static int compare(const struct olv_sorted *a, const struct olv_sorted *b)
{
    size_t least = a->len < b->len ? a->len : b->len;
    int order = olv_instant_compare(a->key, b->key);
    order = order ? order : memcmp(a->bytes, b->bytes, least);
    return order ? order : (a->len > b->len) - (a->len < b->len);
}

/* Goes through all that is left: how many there are, and the sum of the numbers that they begin with; none is
 * before the one given out before it. */
static size_t assert_in_order(struct olv_sorter *sorter, bool is_reversed, uint64_t *sum)
{
    struct olv_error err;
    struct olv_sorted record, last = {.bytes = malloc(1 << 20)};
    size_t count = 0;
    *sum = 0;
    while (olv_sorter_next(sorter, &record, &err)) {
        uint32_t number;
        memcpy(&number, record.bytes, sizeof number);
        *sum += number;
        if (count++ && (is_reversed ? compare(&last, &record) < 0 : compare(&last, &record) > 0))
            fail_msg("record %zu is out of order", count);
        memcpy((void *)(uintptr_t)last.bytes, record.bytes, record.len);
        last.key = record.key;
        last.len = record.len;
    }
    assert_int_equal(err.code, OLV_OK);
    assert_false(olv_sorter_next(sorter, &record, &err));
    free((void *)(uintptr_t)last.bytes);
    return count;
}

/* Records of many lengths; `spread` keys, so that many have the same one. */
static void sort_many(size_t count, size_t longest, uint32_t spread, bool is_reversed)
{
    struct olv_error err = {0};
    struct olv_sorter *sorter = olv_sorter_new(&err);
    uint32_t seed = 7, *bytes = calloc(1, longest);
    uint64_t added = 0, given;
    if (is_reversed)
        olv_sorter_reverse(sorter);
    for (size_t i = 0; i < count; i++) {
        uint32_t key = next_number(&seed) % spread;
        size_t len = sizeof *bytes + next_number(&seed) % (longest - sizeof *bytes);
        bytes[0] = next_number(&seed) % 1000;
        added += bytes[0];
        add(sorter, key, bytes, len);
    }
    assert_int_equal(assert_in_order(sorter, is_reversed, &given), count);
    assert_int_equal(given, added);
    olv_sorter_free(sorter);
    free(bytes);
}

static void a_few_are_sorted_in_memory(void **state)
{
    (void)state;
    for (size_t count = 0; count < 40; count++)
        sort_many(count, 60, 5, count % 2);
}

static void many_are_merged_from_runs(void **state)
{
    (void)state;
    sort_many(400000, 200, 1000, false); /* some 50 MiB: three runs and what is left */
    sort_many(400000, 200, 3, true);
}

static void long_ones_go_through_the_window_too(void **state)
{
    (void)state;
    sort_many(400, 300000, 10, false); /* the window is shorter than most of them */
}

/* What was found together lies together in one run: the others are asked only when their turn comes. */
static void runs_that_do_not_overlap_come_one_after_the_other(void **state)
{
    static char bytes[1000];
    struct olv_error err = {0};
    struct olv_sorter *sorter = olv_sorter_new(&err);
    struct olv_sorted record;
    enum { EACH = 20000, STRETCHES = 5 };
    (void)state;
    for (int stretch = STRETCHES; stretch-- > 0;) /* the last ones first */
        for (int i = 0; i < EACH; i++)
            add(sorter, stretch * EACH + i, bytes, sizeof bytes);
    for (int i = 0; i < EACH * STRETCHES; i++) {
        assert_true(olv_sorter_next(sorter, &record, &err));
        assert_int_equal(record.key.s, i);
    }
    assert_false(olv_sorter_next(sorter, &record, &err));
    olv_sorter_free(sorter);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_few_are_sorted_in_memory),
        cmocka_unit_test(many_are_merged_from_runs),
        cmocka_unit_test(long_ones_go_through_the_window_too),
        cmocka_unit_test(runs_that_do_not_overlap_come_one_after_the_other),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
