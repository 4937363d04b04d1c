/* SPDX-License-Identifier: Apache-2.0 */
/* Hard links of one file look the same: whose a name is, only what was recorded tells. */
#include "support/command.h"

#include <string.h>

STORY(twins_in_the_trash, ON_LINUX_ONLY())
STORY(moved_in_two_steps, ON_LINUX_ONLY())
STORY(replaced_by_its_twin, )

/* The first archive takes one name away, and that is no change by somebody for the second one. */
static void each_name_goes_into_the_archive_of_its_directory(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    shell_ok(s, "mkdir -p t/a t/b depot; seq 100 >t/a/x.csv; ln t/a/x.csv t/b/x.csv; ln t/a/x.csv t/b/y.csv\n"
                "touch -d '2 years ago' t/a/x.csv");
    write_policy(
        s,
        "depots: { cold-room: { path: \"@/depot\" } }\nrules:\n  - { name: r, under: \"@/t\", steps: [ { "
        "after: 1 year, do: archive, depot: cold-room, one-per: directory } ] }\n",
        NULL);
    o = shell(s, "$O --policy policy.yaml enforce --yes; for f in depot/*; do $O contents $f; done");
    assert_contains(o.out, "3 archived");
    assert_contains(o.out, "t/a/x.csv");
    assert_contains(o.out, "t/b/y.csv");
    shell_ok(s, "test -z \"$(find t -type f)\"; test $(ls depot | wc -l) = 2");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(twins_in_the_trash),
        TEST(moved_in_two_steps),
        TEST(replaced_by_its_twin),
        TEST(each_name_goes_into_the_archive_of_its_directory),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
