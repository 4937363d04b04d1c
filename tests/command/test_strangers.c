/* SPDX-License-Identifier: Apache-2.0 */
/* Another user of the machine, a medium that was plugged in, an archive from a stranger: nobody gains
 * anything from what root does. Each script tells its story. */
#include "support/command.h"

#include <unistd.h>

#define STORY(name)                                                                                          \
    static void name(void **state)                                                                           \
    {                                                                                                        \
        ON_LINUX_ONLY(); /* access lists; other calls are made elsewhere */                                  \
        if (geteuid() != 0)                                                                                  \
            skip();                                                                                          \
        script_ok(*state, #name ".sh", "");                                                                  \
    }

STORY(default_lists)
STORY(parents_as_above)
STORY(links_to_strangers)
STORY(directories_exchanged)
STORY(made_in_private)
STORY(names_not_foreseen)
STORY(forged_info)
STORY(own_places)
STORY(opened_without_end)
STORY(policy_of_strangers)
STORY(taken_aside_meanwhile)

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(default_lists),         TEST(parents_as_above),
        TEST(links_to_strangers),    TEST(directories_exchanged),
        TEST(made_in_private),       TEST(names_not_foreseen),
        TEST(forged_info),           TEST(own_places),
        TEST(opened_without_end),    TEST(policy_of_strangers),
        TEST(taken_aside_meanwhile),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
