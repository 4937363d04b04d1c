/* SPDX-License-Identifier: Apache-2.0 */
/* What was once lost, or said without being so: each script tells its story. */
#include "support/command.h"

#include <unistd.h>

#define STORY(name)                                                                                          \
    static void name(void **state)                                                                           \
    {                                                                                                        \
        if (geteuid() != 0)                                                                                  \
            skip();                                                                                          \
        script_ok(*state, #name ".sh", "");                                                                  \
    }

STORY(two_depots)
STORY(replaced_and_kept)
STORY(linked_anew)
STORY(private_directory)
STORY(names_in_reasons)
STORY(without_a_catalogue)
STORY(directory_unfinished)
STORY(archive_removed_later)
STORY(catalogue_unreadable)

/* Of what other systems do not have, or do by other calls. */
#define LINUX_STORY(name)                                                                                    \
    static void name(void **state)                                                                           \
    {                                                                                                        \
        ON_LINUX_ONLY();                                                                                     \
        if (geteuid() != 0)                                                                                  \
            skip();                                                                                          \
        script_ok(*state, #name ".sh", "");                                                                  \
    }

LINUX_STORY(no_room_for_temporary_files)
LINUX_STORY(opened_while_archived)
LINUX_STORY(directory_not_looked_at)
LINUX_STORY(register_unreadable)
LINUX_STORY(archive_going)
LINUX_STORY(settled_in_trouble)
LINUX_STORY(taken_back_in_vain)

static void swapped_while_discarded(void **state)
{
    script_ok(*state, "swapped_while_discarded.sh", MOVING_CALL);
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
        TEST(names_in_reasons),
        TEST(without_a_catalogue),
        TEST(directory_unfinished),
        TEST(archive_removed_later),
        TEST(catalogue_unreadable),
        TEST(directory_not_looked_at),
        TEST(register_unreadable),
        TEST(archive_going),
        TEST(settled_in_trouble),
        TEST(taken_back_in_vain),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
