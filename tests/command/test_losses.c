/* SPDX-License-Identifier: Apache-2.0 */
/* What was once lost, or claimed but not so: a script each. */
#include "support/command.h"

#include <unistd.h>

STORY(two_depots, AS_ROOT_ONLY())
STORY(replaced_and_kept, AS_ROOT_ONLY())
STORY(linked_anew, AS_ROOT_ONLY())
STORY(private_directory, AS_ROOT_ONLY())
STORY(names_in_reasons, AS_ROOT_ONLY())
STORY(without_a_catalogue, AS_ROOT_ONLY())
STORY(directory_unfinished, AS_ROOT_ONLY())
STORY(archive_removed_later, AS_ROOT_ONLY())
STORY(catalogue_unreadable, AS_ROOT_ONLY())

STORY(no_room_for_temporary_files, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(full_disk_with_databases, AS_ROOT_ONLY())
STORY(opened_while_archived, ON_LINUX_ONLY())
STORY(directory_not_looked_at, ON_LINUX_ONLY())
STORY(register_unreadable, ON_LINUX_ONLY())
STORY(steps_unreadable, )
STORY(another_archive_of_that_name, ON_LINUX_ONLY())
STORY(archive_going, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(archive_told_later, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(settled_in_trouble, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(taken_back_in_vain, ON_LINUX_ONLY(); AS_ROOT_ONLY())
STORY(partly_gone_without_trace, ON_LINUX_ONLY())
STORY(changed_after_a_kill, ON_LINUX_ONLY())

static void swapped_while_discarded(void **state)
{
    script_ok(*state, "swapped_while_discarded.sh", MOVING_CALL);
}

static void swapped_before_it_goes(void **state)
{
    ON_LINUX_ONLY(); /* elsewhere nothing is deleted: what is open there is not known */
    script_ok(*state, "swapped_before_it_goes.sh", MOVING_CALL);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(two_depots),
        TEST(swapped_while_discarded),
        TEST(opened_while_archived),
        TEST(replaced_and_kept),
        TEST(linked_anew),
        TEST(private_directory),
        TEST(no_room_for_temporary_files),
        TEST(full_disk_with_databases),
        TEST(names_in_reasons),
        TEST(without_a_catalogue),
        TEST(directory_unfinished),
        TEST(archive_removed_later),
        TEST(catalogue_unreadable),
        TEST(directory_not_looked_at),
        TEST(register_unreadable),
        TEST(steps_unreadable),
        TEST(archive_going),
        TEST(archive_told_later),
        TEST(settled_in_trouble),
        TEST(taken_back_in_vain),
        TEST(partly_gone_without_trace),
        TEST(changed_after_a_kill),
        TEST(swapped_before_it_goes),
        TEST(another_archive_of_that_name),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
