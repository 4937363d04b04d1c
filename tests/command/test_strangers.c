/* SPDX-License-Identifier: Apache-2.0 */
/* Another user of the machine, a removable disk, a stranger's archive: nobody gains anything from what root
 * does. A script each. */
#include "support/command.h"

#include <unistd.h>

STORY(default_lists, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(parents_as_above, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(links_to_strangers, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(directories_exchanged, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(made_in_private, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(names_not_foreseen, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(forged_info, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(own_places, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(opened_without_end, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(policy_of_strangers, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(taken_aside_meanwhile, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(untrusted_depot, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(archives_that_lie, ON_LINUX_ONLY())
STORY(policy_in_its_place, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(looked_at_by_others, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(led_elsewhere, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(notes_of_strangers, ON_LINUX_ONLY(); AS_ROOT_ONLY())

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(default_lists),         TEST(parents_as_above),
        TEST(links_to_strangers),    TEST(directories_exchanged),
        TEST(made_in_private),       TEST(names_not_foreseen),
        TEST(forged_info),           TEST(own_places),
        TEST(opened_without_end),    TEST(policy_of_strangers),
        TEST(taken_aside_meanwhile), TEST(untrusted_depot),
        TEST(archives_that_lie),     TEST(policy_in_its_place),
        TEST(looked_at_by_others),   TEST(led_elsewhere),
        TEST(notes_of_strangers),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
