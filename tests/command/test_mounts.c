/* SPDX-License-Identifier: Apache-2.0 */
/* Every file system has a trash of its own. The mounts are real, in a mount namespace that ends with the
 * test. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static int setup(void **state)
{
    const struct sandbox *s;
    if (geteuid() != 0 || sandbox_setup(state) < 0)
        return geteuid() != 0 ? 0 : -1;
    s = *state;
    make_dir(s, "far");
    make_dir(s, "near");
    make_file(s, "near/a.tmp", "near", 100);
    write_policy(s,
                 "rules:\n  - { name: all, under: [ @/far, @/near ], where: 'path like \"**.tmp\"', "
                 "steps: [ { after: 30 "
                 "days, do: discard } ] }\n",
                 NULL);
    return 0;
}

static int teardown(void **state)
{
    return *state ? sandbox_teardown(state) : 0;
}

/* Runs the script with a fresh tmpfs on far/, which has an old file. */
static struct outcome on_a_mount(const struct sandbox *s, const char *script)
{
    char text[4000];
    if (!s)
        skip();
    snprintf(text, sizeof text,
             "export S='%s'; unshare -m sh -c 'mount -t tmpfs tmpfs far && echo far >far/f.tmp && mkdir "
             "far/deep && "
             "echo deep >far/deep/d.tmp && touch -d \"100 days ago\" far/f.tmp far/deep/d.tmp; E=\"$OLVIDO "
             "--state state --policy "
             "policy.yaml\"; %s'",
             s->path, script);
    return shell(s, text);
}

static void a_mount_gets_a_trash_of_its_own_with_paths_from_its_top(void **state)
{
    struct outcome o = on_a_mount(*state, "$E enforce --yes; echo status=$?; find far -type f | sort; "
                                          "grep -h ^Path far/.Trash-0/info/*; stat -c %a far/.Trash-0; "
                                          "$E trash show; $E audit show --json");
    ON_LINUX_ONLY();
    assert_contains(o.out, "status=0");
    assert_contains(o.out, "3 discarded");
    assert_contains(o.out, "far/.Trash-0/files/d.tmp\n");
    assert_contains(o.out, "far/.Trash-0/files/f.tmp\n");
    assert_contains(o.out, "Path=deep/d.tmp\nPath=f.tmp\n");
    assert_contains(o.out, "\n700\n");
    assert_contains(o.out, "/far/deep/d.tmp\n"); /* absolute again for people */
    assert_contains(o.out, "3 items, 13 B, in 2 trashes");
    assert_contains(o.out, "\"trash_place\":\"");
}

static void what_a_run_discarded_comes_back_from_all_trashes(void **state)
{
    struct outcome o = on_a_mount(
        *state,
        "$E enforce --yes >out; run=$(sed -n \"s/^Take it back.*--run //p\" out); $E recover --run $run; "
        "cat far/f.tmp far/deep/d.tmp near/a.tmp; find far/.Trash-0 -type f");
    ON_LINUX_ONLY();
    assert_status(&o, 0);
    assert_contains(o.out, "3 recovered");
    assert_contains(o.out, "far\ndeep\nnear");
    assert_lacks(o.out, ".trashinfo");
}

static void a_sticky_shared_trash_is_used_and_others_are_not(void **state)
{
    struct outcome o = on_a_mount(*state, "mkdir -m 1777 far/.Trash; $E enforce --yes; find far -name f.tmp");
    ON_LINUX_ONLY();
    assert_contains(o.out, "far/.Trash/0/files/f.tmp\n");
    o = on_a_mount(*state, "mkdir -m 0777 far/.Trash; $E enforce --yes; find far -name f.tmp; $E trash show");
    assert_contains(o.out, "far/.Trash-0/files/f.tmp\n");
    assert_contains(o.err, "far/.Trash: it has no sticky bit, so it is not used");
    o = on_a_mount(*state, "mkdir -m 1777 far/real; ln -s real far/.Trash; $E enforce --yes; find far -name "
                           "f.tmp; $E trash show");
    assert_contains(o.out, "far/.Trash-0/files/f.tmp\n");
    assert_contains(o.err, "far/.Trash: it is a symbolic link, so it is not used");
}

static void a_trash_of_a_mount_that_is_not_ours_alone_is_refused(void **state)
{
    struct outcome o = on_a_mount(
        *state, "mkdir far/.Trash-0; chown 65534 far/.Trash-0; $E enforce --yes; echo status=$?; ls far");
    ON_LINUX_ONLY();
    assert_contains(o.out, "status=1");
    assert_contains(o.out, "1 discarded (4 B), 2 failed");
    assert_contains(o.err, "the trash belongs to another user");
    assert_contains(o.out, "\nf.tmp\n");
    o = on_a_mount(*state, "mkdir far/real; ln -s real far/.Trash-0; $E enforce --yes; echo status=$?");
    assert_contains(o.out, "status=6"); /* nothing due has a trash, and that is said before anything else */
    assert_contains(o.err, "the trash is a symbolic link");
}

static void a_read_only_mount_fails_alone(void **state)
{
    struct outcome o = on_a_mount(
        *state, "mount -o remount,ro far; $E enforce --yes; echo status=$?; ls far; cat near/a.tmp");
    ON_LINUX_ONLY();
    assert_contains(o.out, "status=1");
    assert_contains(o.out, "1 discarded (4 B), 2 failed");
    assert_contains(o.err, "Read-only file system");
    assert_contains(o.out, "f.tmp");
}

static void a_bind_mount_is_a_mount_though_its_device_is_the_same(void **state)
{
    struct outcome o = on_a_mount(
        *state, "umount far; mkdir other; echo x >other/b.tmp; touch -d \"100 days ago\" other/b.tmp; "
                "mount --bind other far; $E enforce --yes; echo status=$?; find other -type f");
    ON_LINUX_ONLY();
    assert_contains(o.out, "status=0");
    assert_contains(o.out, "other/.Trash-0/files/b.tmp\n");
}

static void the_trash_itself_is_never_a_candidate(void **state)
{
    struct outcome o =
        on_a_mount(*state, "$E enforce --yes >/dev/null; touch -d \"100 days ago\" far/.Trash-0/files/*; "
                           "$E enforce --yes; find far -type f | wc -l");
    ON_LINUX_ONLY();
    assert_contains(o.out, "nothing was due");
    assert_contains(o.out, "\n4\n");
}

static void clearing_reaches_every_trash(void **state)
{
    struct outcome o = on_a_mount(
        *state,
        "$E enforce --yes >/dev/null; $E trash clear --yes; echo status=$?; find far/.Trash-0 data -type f");
    ON_LINUX_ONLY();
    assert_contains(o.out, "3 removed for good (13 B)");
    assert_contains(o.out, "status=0\n");
    assert_lacks(o.out, ".trashinfo");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_mount_gets_a_trash_of_its_own_with_paths_from_its_top),
        TEST(what_a_run_discarded_comes_back_from_all_trashes),
        TEST(a_sticky_shared_trash_is_used_and_others_are_not),
        TEST(a_trash_of_a_mount_that_is_not_ours_alone_is_refused),
        TEST(a_read_only_mount_fails_alone),
        TEST(a_bind_mount_is_a_mount_though_its_device_is_the_same),
        TEST(the_trash_itself_is_never_a_candidate),
        TEST(clearing_reaches_every_trash),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
