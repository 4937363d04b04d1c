/* SPDX-License-Identifier: Apache-2.0 */
/* A selection of what torture.py and looking.py do, of the kind that the argument names: see there. `make
 * torture` does all of it. STRIDE (in slow builds) makes the selection smaller, THOROUGH (in `make
 * check-all`) larger. Where only the trash of the home is known, and nobody can say whether a file is open,
 * all lies on one file system, and nothing is deleted. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#ifdef OLVIDO_OS_POSIX
static const char where[] =
    "torture.py --quiet --within 840 --together --only "
    "discard,discard-same,recover,recover-number,recover-set-aside,archive-keep,fetch-keep,rebuild";
#define EVERY(many, few) few
#else
static const char where[] = "torture.py --quiet --within 840";
#define EVERY(many, few) many
#endif
#define MEMORY "ENOMEM," /* a sanitizer's own may not run out */
#define FAULTS "short,ENOSPC,EIO,EINTR,EMFILE,EIO-read,EIO-look*5,EIO-rest --stride " EVERY("179", "7")

static const char *script = where, *words = "";

static void whatever_happens_the_next_runs_end_as_if_nothing_had(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char line[800];
    if (geteuid() != 0)
        skip(); /* mounts */
    snprintf(line, sizeof line,
             "/usr/bin/python3 \"$OLVIDO_SOURCE\"/tests/torture/%s --slower ${STRIDE:-%s} %s "
             ">report 2>&1; "
             "s=$?; grep -v ' 0 wrong' report | tail -n 12 | cut -c1-300; exit $s",
             script, is_thorough() ? "1" : "2", words);
    o = shell(s, line);
    if (o.status == 77)
        skip(); /* no such processor */
    if (o.status == 0)
        print_message("%s\n", strstr(o.out, "points tried") ? strstr(o.out, "points tried") : o.out);
    assert_status(&o, 0);
    assert_non_null(strstr(o.out, "points tried"));
}

int main(int count, char **arguments)
{
    const struct {
        const char *kind, *script, *words;
    } kinds[] = {
        {"kills", where, "--do kill --stride " EVERY("29", "1")},
        {"signals", where, "--do int,term,hup --stride " EVERY("127", "5")},
        {"faults", where, getenv("STRIDE") ? "--do " FAULTS : "--do " MEMORY FAULTS},
        {"lies", where, "--do lie --slower 1 --stride " EVERY("2", "1")},
        {"power", where, "--do power,power-part*2 --stride 281"},
        {"restored", where, "--do restored,restored-state*2,restored-catalogue*2,clock --stride 149"},
        {"looks", "looking.py", "--stride 13"}};
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(whatever_happens_the_next_runs_end_as_if_nothing_had, sandbox_setup,
                                        sandbox_teardown),
    };
    for (size_t i = 0; i < sizeof kinds / sizeof *kinds; i++)
        if (count > 1 && strcmp(arguments[1], kinds[i].kind) == 0) {
            words = kinds[i].words;
            script = kinds[i].script;
        }
    return cmocka_run_group_tests(tests, NULL, NULL);
}
