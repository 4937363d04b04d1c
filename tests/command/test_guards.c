/* SPDX-License-Identifier: Apache-2.0 */
/* What may never be touched is not touched, however a rule spells its path: links, dots, doubled and trailing
 * slashes, mounts that show it again, mounts that appear during a run. The mounts are real, in a mount
 * namespace that ends with the test. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    shell_ok(*state,
             "mkdir -p tides/old shown; echo x >tides/old/a.tmp; touch -d '100 days ago' tides/old/a.tmp");
    return 0;
}

/* A rule that would discard everything under each of the paths (lists in YAML), run after the script `before`
 * in its own mount namespace. */
static struct outcome discard_under(const struct sandbox *s, const char *before, const char *paths,
                                    const char *where)
{
    char text[4000];
    if (geteuid() != 0)
        skip();
    snprintf(
        text, sizeof text,
        "export S='%s'; cat >job.sh <<'JOB'\n%s\n"
        "printf 'olvido: 1\\nlimits: { files: 100000 }\\nrules:\\n  - { name: all, under: [ %%s ], where: "
        "%%s, steps: [ { after: 0 days, do: discard } ] }\\n' \"%s\" \"'%s'\" >policy.yaml\n"
        "E=\"$OLVIDO --state state --policy policy.yaml\"; $E enforce --yes; echo status=$?; $E "
        "preview\nJOB\n"
        "unshare -m sh job.sh",
        s->path, before, paths, where);
    return shell(s, text);
}

static void a_system_directory_is_one_by_every_spelling(void **state)
{
    static const char *const spellings[] = {
        "/usr/share/olvido-test",        "/usr/share/olvido-test/",
        "//usr///share/olvido-test",     "/usr/share/./olvido-test",
        "/tmp/../usr/share/olvido-test", "$S/link",
        "$S/link/../olvido-test",        "/usr/*/olvido-test",
        "/usr/share/olvido-tes?",        "$S/link/.",
    };
    struct outcome o;
    if (!*state)
        skip();
    for (size_t i = 0; i < sizeof spellings / sizeof *spellings; i++) {
        /* a small file system covers /usr/share, so that the real one is not at stake */
        o = discard_under(
            *state,
            "mount -t tmpfs tmpfs /usr/share; mkdir /usr/share/olvido-test; echo x "
            ">/usr/share/olvido-test/f; touch -d '1 year ago' /usr/share/olvido-test/f; ln -sfn "
            "/usr/share/olvido-test link",
            spellings[i], "kind = file");
        if (!strstr(o.out, "guarded: never touched") || !strstr(o.out, "nothing was due"))
            fail_msg("%s: %s%s", spellings[i], o.out, o.err);
    }
}

static void a_second_mount_of_a_system_directory_is_guarded(void **state)
{
    struct outcome o;
    ON_LINUX_ONLY();
    o = discard_under(
        *state,
        "mount -t tmpfs tmpfs /usr/share; mkdir -p /usr/share/doc/olvido-test; echo x "
        ">/usr/share/doc/olvido-test/f; touch -d '1 year ago' /usr/share/doc/olvido-test/f; mount --bind "
        "/usr/share/doc shown",
        "$S/shown", "kind = file");
    assert_contains(o.out, "nothing was due");
    assert_contains(o.out, "guarded: never touched      1 ");
    /* and a mount that shows more than the place: only the place is guarded */
    o = discard_under(
        *state,
        "mkdir fs; mount -t tmpfs tmpfs fs; mkdir fs/boot fs/mine; echo x >fs/boot/f; echo y >fs/mine/f; "
        "touch -d '1 year ago' fs/*/f; mount --bind fs/boot /boot; mount --bind fs shown",
        "$S/shown", "kind = file");
    assert_contains(o.out, "1 discarded");
    assert_contains(o.out, "guarded: never touched      1 ");
}

static void a_second_mount_of_olvidos_own_places_is_guarded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    o = discard_under(s,
                      "$OLVIDO --state state audit show >/dev/null 2>&1; mkdir -m 700 state; mkdir -m 700 "
                      "state/ledger; echo precious >state/ledger/f; touch -d '1 year ago' state/ledger/f; "
                      "mount --bind state/ledger shown",
                      "$S/shown", "kind = file");
    assert_contains(o.out, "nothing was due");
    assert_true(exists(s, "state/ledger/f"));
    o = discard_under(s, "mkdir -p twice; mount --bind . twice", "$S/twice/state, $S/twice/data, $S/state",
                      "kind = file");
    assert_contains(o.out, "nothing was due");
    assert_true(exists(s, "state/ledger/f"));
    assert_true(exists(s, "state/version"));
}

static void the_root_and_homes_stay_but_what_is_in_them_may_go(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        discard_under(s,
                      "mkdir -p homes/ana homes/attic; echo x >homes/ana/f; echo y >homes/attic/g; "
                      "touch -d '1 year ago' homes/*/* homes/*; export HOME=$S/homes/ana/",
                      "$S/homes", "kind = directory");
    assert_contains(o.out, "1 file and 1 directory discarded");
    assert_contains(o.out, "guarded: never touched");
    assert_true(exists(s, "homes/ana/f"));
    assert_false(exists(s, "homes/attic"));
}

/* After planning, while the docket is being synced, a file system is mounted on and inside what is due. */
static void a_mount_that_appears_during_the_run_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    o = shell(
        s,
        "export S=$PWD; cat >job.sh <<'JOB'\n"
        "mkdir -p all/on all/in/deep all/free all/files; echo x | tee all/on/f all/in/deep/f all/free/f "
        ">all/files/f; find all -depth -exec touch -d '1 year ago' {} +\n"
        "printf 'olvido: 1\\nlimits: { files: 100 }\\nrules:\\n  - { name: d, under: %s/all, where: \"kind = "
        "directory and not (name = \\\\\"files\\\\\")\", steps: [ { after: 1 day, do: discard } ] }\\n  - { "
        "name: f, under: "
        "%s/all/files, steps: [ { after: 1 day, do: discard } ] }\\n' $S $S >policy.yaml\n" STOPPED_AT(
            "fsync", "000001.docket",
            "1") "'mount -t tmpfs tmpfs all/on; mount -t tmpfs tmpfs all/in/deep; mount -t tmpfs tmpfs "
                 "all/files; "
                 "echo new >all/on/f; echo new >all/files/f' -- $OLVIDO --state state --policy policy.yaml "
                 "enforce "
                 "--yes >out 2>&1\ncat out; cat all/on/f all/files/f; ls all\nJOB\nunshare -m "
                 "sh job.sh");
    assert_contains(o.out, "1 file and 1 directory discarded");
    assert_contains(o.out, "left alone");
    assert_contains(o.out, "new\nnew\nfiles\nin\non\n");
}

/* A depot that cannot be looked at could be anywhere: nothing is touched meanwhile. */
static void nothing_is_done_while_a_guard_is_incomplete(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    o = shell(s, "mkdir here; seq 100 >here/a; touch -d '2 years ago' here/a; ln -s round round\n"
                 "printf 'olvido: 1\\ndepots: { c: { path: %s/round/depot } }\\n' $PWD >p.yaml\n"
                 "printf 'rules: [ { name: r, under: %s/here, steps: [ { after: 1 day, do: discard } ] } "
                 "]\\n' $PWD >>p.yaml\n"
                 "$O --policy p.yaml enforce --yes");
    assert_status(&o, 6);
    assert_contains(o.err, "cannot find out what must never be touched");
    assert_contains(o.err, "nothing was done");
    assert_lacks(o.out, "Run 20");
    o = shell(s, "test -e here/a && ! $O audit show | grep -q 'run begins'");
    assert_status(&o, 0);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_system_directory_is_one_by_every_spelling),
        TEST(a_second_mount_of_a_system_directory_is_guarded),
        TEST(a_second_mount_of_olvidos_own_places_is_guarded),
        TEST(the_root_and_homes_stay_but_what_is_in_them_may_go),
        TEST(a_mount_that_appears_during_the_run_stays),
        TEST(nothing_is_done_while_a_guard_is_incomplete),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
