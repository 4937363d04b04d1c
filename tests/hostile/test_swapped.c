/* SPDX-License-Identifier: Apache-2.0 */
/* A selection of what hostile.py does: each command once in each kind of directory. `make hostile` does all
 * of it. */
#include "support/command.h"

#include <string.h>
#include <unistd.h>

static void nobody_gains_anything_from_what_root_does_beside_him(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip(); /* another user, mounts */
    o = shell(s,
              "/usr/bin/python3 \"$OLVIDO_SOURCE\"/tests/hostile/hostile.py --quiet --swaps 300 --rounds 1 "
              ">report 2>&1; s=$?; tail -n 20 report | cut -c1-500; exit $s");
    assert_status(&o, 0);
    assert_contains(o.out, " exchanged, ");
    assert_contains(o.out, " 0 wrong");
    print_message("%s", o.out);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(nobody_gains_anything_from_what_root_does_beside_him, sandbox_setup,
                                        sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
