/* SPDX-License-Identifier: Apache-2.0 */
/* What an error says is what a person reads last. */
#include "olvido/error.h"
#include "support/sandbox.h"

#include <errno.h>
#include <stdint.h>
#include <string.h>

static void a_short_path_is_told_whole(void **state)
{
    char path[sizeof((struct olv_error *)0)->path];
    struct olv_error err;
    (void)state;
    memset(path, 'a', sizeof path - 1);
    path[0] = '/';
    path[sizeof path - 1] = '\0';
    errno = EACCES;
    assert_false(olv_fail_system(&err, path, "cannot open %s", "it"));
    assert_string_equal(err.path, path);
    assert_string_equal(err.what, "cannot open it");
    assert_int_equal(err.sys, EACCES);
    assert_int_equal(err.code, OLV_SYSTEM);
    assert_null(err.hint);
}

/* Of a long one, what tells it from others is its end; names stay whole. */
static void a_long_path_keeps_its_end(void **state)
{
    char path[4096] = "/srv";
    struct olv_error err = {0};
    (void)state;
    for (int i = 0; i < 100; i++)
        strcat(path, "/readings-of-the-north-gauge");
    strcat(path, "/gauge-07.csv");
    olv_error_at(&err, path);
    assert_memory_equal(err.path, "…/readings-of-the-north-gauge/", strlen("…/readings-of-the-north-gauge/"));
    assert_string_equal(err.path + strlen(err.path) - strlen("/gauge-07.csv"), "/gauge-07.csv");
    assert_true(strlen(err.path) > 200);
}

/* Without a slash to begin at, it begins with a character. */
static void a_long_name_is_cut_between_characters(void **state)
{
    char path[1024] = "";
    struct olv_error err = {0};
    (void)state;
    for (int i = 0; i < 300; i++)
        strcat(path, "ñ");
    for (int bytes = 0; bytes < 2; bytes++, strcat(path, "x")) { /* one of them would cut one in two */
        olv_error_at(&err, path);
        assert_memory_equal(err.path, "…ñ", strlen("…ñ"));
    }
}

static void an_error_is_cleared_and_keeps_its_class(void **state)
{
    struct olv_error err;
    (void)state;
    errno = ENOMEM;
    olv_fail_system(&err, "gauge.csv", "reading it");
    assert_int_equal(err.code, OLV_MEMORY);
    olv_error_hint(&err, "try again");
    olv_error_as(&err, OLV_STATE);
    assert_int_equal(err.code, OLV_STATE);
    assert_string_equal(err.hint, "try again");
    olv_fail(&err, OLV_BROKEN, "it is damaged");
    assert_int_equal(err.sys, 0);
    assert_string_equal(err.path, "");
    assert_null(err.hint);
    olv_error_clear(&err);
    assert_int_equal(err.code, OLV_OK);
    assert_string_equal(err.what, "");
}

/* Outcomes have one each, and there are thousands of them in a batch. */
static void an_error_is_small(void **state)
{
    (void)state;
    assert_true(sizeof(struct olv_error) <= 640);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_short_path_is_told_whole),
        cmocka_unit_test(a_long_path_keeps_its_end),
        cmocka_unit_test(a_long_name_is_cut_between_characters),
        cmocka_unit_test(an_error_is_cleared_and_keeps_its_class),
        cmocka_unit_test(an_error_is_small),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
