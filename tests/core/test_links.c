/* SPDX-License-Identifier: Apache-2.0 */
/* Files with several names on their way into an archive. */
#include "archive/links.h"
#include "support/sandbox.h"

#include <stdio.h>

enum { FILES = 5000 }; /* the table grows some times */

static struct olv_docket_entry entry_of(uint64_t inode)
{
    struct olv_docket_entry e = {.links = 2};
    e.identity.mount = inode % 3; /* the same number on three mounts is three files */
    e.identity.inode = inode / 3;
    return e;
}

static void assert_state(const struct links *l, uint64_t inode, enum link_state state)
{
    struct olv_docket_entry e = entry_of(inode);
    const char *path = NULL;
    char expected[32];
    snprintf(expected, sizeof expected, "tides/%llu", (unsigned long long)inode);
    assert_int_equal(links_find(l, &e, &path), state);
    if (state != LINK_NEW)
        assert_string_equal(path, expected);
}

static void add(struct links *l, uint64_t inode)
{
    struct olv_docket_entry e = entry_of(inode);
    char path[32];
    snprintf(path, sizeof path, "tides/%llu", (unsigned long long)inode);
    assert_state(l, inode, LINK_NEW);
    assert_true(links_add(l, &e, 10 * inode, path));
    assert_state(l, inode, LINK_PENDING);
}

/* Told in the order of adding; entries between them are none of these. Every seventh did not get in. */
static void what_became_of_each_is_known(void **state)
{
    struct links *l = links_new();
    (void)state;
    for (uint64_t i = 1; i <= FILES; i++)
        add(l, i);
    for (uint64_t sequence = 1; sequence <= 10 * FILES; sequence++) {
        if (sequence % 10 == 0)
            assert_state(l, sequence / 10, LINK_PENDING);
        links_know(l, sequence, sequence % 70 != 0);
    }
    for (uint64_t i = 1; i <= FILES; i++)
        assert_state(l, i, i % 7 ? LINK_KNOWN : LINK_NEW);
    links_free(l);
}

/* Of a file whose first name did not get in, the next name stands for it. */
static void another_name_takes_the_place_of_one_that_did_not_get_in(void **state)
{
    struct links *l = links_new();
    struct olv_docket_entry e = entry_of(4);
    const char *path;
    (void)state;
    add(l, 4);
    links_know(l, 40, false);
    assert_state(l, 4, LINK_NEW);
    assert_true(links_add(l, &e, 50, "tides/another"));
    links_know(l, 50, true);
    assert_int_equal(links_find(l, &e, &path), LINK_KNOWN);
    assert_string_equal(path, "tides/another");
    links_free(l);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_became_of_each_is_known),
        cmocka_unit_test(another_name_takes_the_place_of_one_that_did_not_get_in),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
