/* SPDX-License-Identifier: Apache-2.0 */
/* A new file takes the place of another, and its name cannot be looked at: once, or from then on. Neither
 * file is lost, and nothing is left over that the error does not name. The linker puts the function below in
 * the place of the call. */
#include "file/fresh.h"
#include "os/durable.h"
#include "os/os.h"
#include "support/sandbox.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static struct {
    unsigned looks;    /* so far */
    unsigned fails_at; /* the number of the look that fails; 0: none */
    bool for_ever;     /* and all after it */
} system_is;

bool __real_olv_os_stat(int dir, const char *name, struct olv_stat *out);
bool __wrap_olv_os_stat(int dir, const char *name, struct olv_stat *out);
bool __wrap_olv_os_stat(int dir, const char *name, struct olv_stat *out)
{
    system_is.looks++;
    if (!system_is.fails_at || system_is.looks < system_is.fails_at ||
        (system_is.looks > system_is.fails_at && !system_is.for_ever))
        return __real_olv_os_stat(dir, name, out);
    errno = EIO;
    return false;
}

/* Publishes "new" as d/a, where "old" is. False with the error. */
static bool replace(const struct sandbox *s, unsigned fails_at, bool for_ever, struct olv_error *err)
{
    char label[FRESH_LABEL], placed[NAME_MAX + 1];
    struct fresh f;
    bool ok;
    int dir = open(in(s, "d"), O_RDONLY | O_DIRECTORY);
    make_file(s, "d/a", "old", 0);
    *err = (struct olv_error){0};
    assert_true(fresh_random_label(label, err) && fresh_open(&f, dir, label, err));
    assert_true(olv_write_all(f.fd, "new", 3));
    system_is.looks = 0;
    system_is.fails_at = fails_at;
    system_is.for_ever = for_ever;
    ok = fresh_publish(&f, "a", OLV_REPLACE, placed, err);
    system_is.fails_at = 0;
    fresh_close(&f);
    close(dir);
    return ok;
}

static void a_look_that_fails_once_leaves_all_as_it_was(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err;
    unsigned failed = 0;
    make_dir(s, "d");
    for (unsigned k = 1; k < 10; k++) {
        bool ok = replace(s, k, false, &err);
        failed += !ok;
        assert_string_equal(slurp(s, "d/a"), ok ? "new" : "old");
        assert_int_equal(count_entries(s, "d"), 1);
        assert_int_equal(err.sys, ok ? 0 : EIO);
    }
    assert_true(failed >= 2); /* the new file, and its name */
}

static void looks_that_fail_from_then_on_lose_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err;
    make_dir(s, "d");
    for (unsigned k = 1; k < 10; k++) {
        bool ok = replace(s, k, true, &err);
        char aside[NAME_MAX + 3];
        const char *named = strstr(err.what, ".olvido-");
        if (!named) {
            assert_string_equal(slurp(s, "d/a"), ok ? "new" : "old");
            assert_int_equal(count_entries(s, "d"), 1);
            continue;
        }
        snprintf(aside, sizeof aside, "d/%s", named);
        assert_string_equal(slurp(s, "d/a"), "new");
        assert_string_equal(slurp(s, aside), "old");
        assert_int_equal(unlink(in(s, aside)), 0);
    }
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_look_that_fails_once_leaves_all_as_it_was),
        TEST(looks_that_fail_from_then_on_lose_nothing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
