/* SPDX-License-Identifier: Apache-2.0 */
/* Tests never touch their user's own trash, although `trash clear` covers every mount. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

static char outside[64];

/* A mount of the tester's with a non-empty trash, from before the first test. */
static int foreign_mount(void **state)
{
    char path[600];
    (void)state;
    if (geteuid() != 0)
        return 0;
    strcpy(outside, "/tmp/olvido-outside-XXXXXX");
    if (!mkdtemp(outside) || mount("none", outside, "tmpfs", 0, "mode=0755,size=1m") < 0)
        return -1;
    snprintf(path, sizeof path,
             "mkdir -pm 700 %s/.Trash-0/files %s/.Trash-0/info && echo work >%s/.Trash-0/files/work && "
             "echo x >%s/.Trash-0/info/work.trashinfo",
             outside, outside, outside, outside);
    return system(path) ? -1 : 0;
}

static int no_foreign_mount(void **state)
{
    (void)state;
    if (geteuid() == 0 && umount2(outside, MNT_DETACH) == 0)
        rmdir(outside);
    return 0;
}

static void clearing_every_trash_spares_the_testers_own(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char path[600];
    struct stat st;
    if (geteuid() != 0)
        skip();
    o = olvido(s, "trash", "show", NULL);
    assert_lacks(o.out, "work");
    o = olvido(s, "trash", "clear", "-y", "--count", "1", NULL);
    /* outside this namespace it is unchanged: only the covering mount hides it */
    snprintf(path, sizeof path, "%s/.Trash-0", outside);
    assert_int_equal(umount2(path, 0), 0);
    snprintf(path, sizeof path, "%s/.Trash-0/files/work", outside);
    assert_int_equal(stat(path, &st), 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(clearing_every_trash_spares_the_testers_own, sandbox_setup,
                                        sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, foreign_mount, no_foreign_mount);
}
