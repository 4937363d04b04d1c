/* SPDX-License-Identifier: Apache-2.0 */
/* What every test program does first, also when it is started by hand: it finds the program under test and
 * its helpers beside itself, unless the environment names others, and runs one case alone if CASE names it.
 * It takes the place of cmocka's function, which all of them call. */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

#include <cmocka.h>

int __real__cmocka_run_group_tests(const char *name, const struct CMUnitTest *tests, size_t count,
                                   CMFixtureFunction setup, CMFixtureFunction teardown);
int __wrap__cmocka_run_group_tests(const char *name, const struct CMUnitTest *tests, size_t count,
                                   CMFixtureFunction setup, CMFixtureFunction teardown);

/* BUILD and SOURCE are the directories of the build and of the checkout. */
static const struct helper {
    const char *variable, *path;
} helpers[] = {{"OLVIDO_SOURCE", SOURCE},           {"OLVIDO", BUILD "/olvido"},
               {"ACTING", BUILD "/tests/acting"},   {"AT_CALL", BUILD "/tests/at_call"},
               {"SWAPPER", BUILD "/tests/swapper"}, {"MOVED_CLOCK", BUILD "/tests/libmoved_clock.so"}};

static void find_helpers(void)
{
    for (size_t i = 0; i < sizeof helpers / sizeof *helpers; i++)
        if (access(helpers[i].path, F_OK) == 0)
            setenv(helpers[i].variable, helpers[i].path, 0);
}

int __wrap__cmocka_run_group_tests(const char *name, const struct CMUnitTest *tests, size_t count,
                                   CMFixtureFunction setup, CMFixtureFunction teardown)
{
    const char *only = getenv("CASE");
    find_helpers();
    if (!getenv("OLVIDO"))
        fprintf(stderr, "there is no %s: tools/test builds what a test needs\n", helpers[1].path);
    if (only)
        cmocka_set_test_filter(only);
    return __real__cmocka_run_group_tests(name, tests, count, setup, teardown);
}
