/* SPDX-License-Identifier: Apache-2.0 */
/* What became of entries on their way into archives: asked for in any order, over more than one page. */
#include "archive/gathered.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <string.h>

enum { ENTRIES = 20000, FIRST_OF_SECOND = 9000 };

static void put(struct gathered *g, uint64_t sequence)
{
    struct gathered_entry e = {.is_in = sequence % 3 != 0, .has_digest = true};
    struct olv_error why = {.code = OLV_CHANGED, .sys = (int)sequence};
    memset(e.digest, (int)(sequence & 0xff), sizeof e.digest);
    snprintf(why.what, sizeof why.what, "reason %d", (int)sequence);
    assert_true(gathered_put(g, sequence, &e, e.is_in ? NULL : &why));
}

static void assert_is_why(struct gathered *g, const struct gathered_entry *e, int sys, const char *reason)
{
    struct olv_error why;
    assert_true(gathered_why(g, e, &why));
    assert_int_equal(why.code, OLV_CHANGED);
    assert_int_equal(why.sys, sys);
    assert_string_equal(why.what, reason);
}

static void assert_is(struct gathered *g, uint64_t sequence)
{
    struct gathered_entry e;
    char reason[40];
    snprintf(reason, sizeof reason, "reason %d", (int)sequence);
    assert_true(gathered_get(g, sequence, &e));
    assert_int_equal(e.is_in, sequence % 3 != 0);
    assert_int_equal(e.digest[31], sequence & 0xff);
    if (!e.is_in)
        assert_is_why(g, &e, (int)sequence, reason);
    assert_int_equal(e.archive, sequence >= FIRST_OF_SECOND);
}

/* Every fifth entry is not about archives at all. */
static struct gathered *gather(void)
{
    struct olv_error err = {0};
    struct gathered *g = gathered_new(&err);
    assert_non_null(g);
    for (uint64_t i = 1; i <= ENTRIES; i++) {
        if (i == 1 || i == FIRST_OF_SECOND)
            gathered_begin(g, i);
        if (i % 5)
            put(g, i);
        if (i == FIRST_OF_SECOND - 1)
            assert_true(gathered_end(g, "/srv/depot/one.tar.zst", NULL));
    }
    olv_fail(&err, OLV_SYSTEM, "the disk is full");
    assert_true(gathered_end(g, NULL, &err));
    return g;
}

static void all_is_found_again_in_any_order(void **state)
{
    struct gathered *g = gather();
    struct gathered_entry e;
    (void)state;
    for (uint64_t i = 1; i <= ENTRIES; i++)
        if (i % 5)
            assert_is(g, i);
    for (uint64_t i = ENTRIES; i > 0; i -= i > 777 ? 777 : i)
        if (i % 5)
            assert_is(g, i);
    assert_false(gathered_get(g, 5, &e));
    assert_int_equal(e.archive, 0); /* that was under way then */
    assert_false(gathered_get(g, ENTRIES, &e));
    assert_int_equal(e.archive, 1);
    assert_false(gathered_get(g, ENTRIES + 100000, &e));
    gathered_free(g);
}

static void an_archive_that_failed_says_why(void **state)
{
    struct gathered *g = gather();
    const struct olv_error *why;
    (void)state;
    assert_string_equal(gathered_path(g, 0, &why), "/srv/depot/one.tar.zst");
    assert_null(gathered_path(g, 1, &why));
    assert_string_equal(why->what, "the disk is full");
    gathered_free(g);
}

/* An entry is told again when it turned out otherwise in the end. */
static void the_last_word_counts(void **state)
{
    struct gathered *g = gather();
    struct gathered_entry e = {.is_in = false}, out;
    struct olv_error why = {.code = OLV_CHANGED, .what = "cut off again"};
    (void)state;
    assert_true(gathered_put(g, 4, &e, &why));
    assert_true(gathered_get(g, 4, &out));
    assert_is_why(g, &out, 0, "cut off again");
    assert_is(g, 19999);
    assert_true(gathered_get(g, 4, &out));
    assert_is_why(g, &out, 0, "cut off again");
    gathered_free(g);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(all_is_found_again_in_any_order),
        cmocka_unit_test(an_archive_that_failed_says_why),
        cmocka_unit_test(the_last_word_counts),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
