/* SPDX-License-Identifier: Apache-2.0 */
/* A selection of what torture.py does, of the kind that the argument names: see there. `make torture` does
 * all of it. STRIDE (in slow builds) makes the selection smaller. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static const char *words = "--do kill --stride 6";

static void whatever_happens_the_next_runs_end_as_if_nothing_had(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char script[600];
    if (geteuid() != 0)
        skip(); /* mounts */
    snprintf(script, sizeof script,
             "/usr/bin/python3 \"$OLVIDO_SOURCE\"/tests/torture/torture.py --quiet --slower ${STRIDE:-1} %s "
             ">report 2>&1; "
             "s=$?; grep -v ' 0 wrong' report | tail -n 12 | cut -c1-300; exit $s",
             words);
    o = shell(s, script);
    if (o.status == 77)
        skip(); /* no such processor */
    if (o.status == 0)
        print_message("%s\n", strstr(o.out, "points tried") ? strstr(o.out, "points tried") : o.out);
    assert_status(&o, 0);
    assert_non_null(strstr(o.out, "points tried"));
    outcome_free(&o);
}

int main(int count, char **arguments)
{
    const struct {
        const char *kind, *words;
    } kinds[] = {{"kills", "--do kill --stride 6"},
                 {"signals", "--do int,term,hup --stride 29"},
                 {"faults", getenv("STRIDE") /* a sanitizer's own memory may not run out */
                                ? "--do short,ENOSPC,EIO,EINTR,EMFILE,EIO-read --stride 43"
                                : "--do short,ENOSPC,EIO,EINTR,EMFILE,ENOMEM,EIO-read --stride 43"},
                 {"power", "--do power --stride 61"}};
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(whatever_happens_the_next_runs_end_as_if_nothing_had, sandbox_setup,
                                        sandbox_teardown),
    };
    for (size_t i = 0; i < sizeof kinds / sizeof *kinds; i++)
        if (count > 1 && strcmp(arguments[1], kinds[i].kind) == 0)
            words = kinds[i].words;
    return cmocka_run_group_tests(tests, NULL, NULL);
}
