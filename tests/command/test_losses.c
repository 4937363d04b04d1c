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

static void no_room_for_temporary_files(void **state)
{
    ON_LINUX_ONLY(); /* elsewhere nobody can say that a file is not open, so none is deleted */
    if (geteuid() != 0)
        skip();
    script_ok(*state, "no_room_for_temporary_files.sh", "");
}

static void opened_while_archived(void **state)
{
    ON_LINUX_ONLY(); /* leases */
    script_ok(*state, "opened_while_archived.sh", "");
}

static void directory_not_looked_at(void **state)
{
    ON_LINUX_ONLY(); /* elsewhere it is another call */
    script_ok(*state, "directory_not_looked_at.sh", "");
}

static void register_unreadable(void **state)
{
    ON_LINUX_ONLY(); /* elsewhere nothing is exchanged */
    script_ok(*state, "register_unreadable.sh", "");
}

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
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
