/* SPDX-License-Identifier: Apache-2.0 */
/* Hard links of one file look the same: whose a name is, only what was recorded tells. */
#include "support/command.h"

STORY(twins_in_the_trash, ON_LINUX_ONLY())
STORY(moved_in_two_steps, ON_LINUX_ONLY())
STORY(replaced_by_its_twin, )

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(twins_in_the_trash),
        TEST(moved_in_two_steps),
        TEST(replaced_by_its_twin),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
