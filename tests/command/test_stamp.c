/* SPDX-License-Identifier: Apache-2.0 */
/* An act is one file and one line: a program with an act that nothing else names (tests/stamp/) previews it,
 * asks for it, limits, does, records, settles and explains it. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define O "O=\"$O --policy policy.yaml\"; "

static void make_tree(const struct sandbox *s)
{
    ON_LINUX_ONLY(); /* elsewhere there are no attributes */
    shell_ok(s,
             "mkdir -p tides/run-1; for i in 1 2 3; do seq 100 >tides/$i.csv; seq 9 >tides/run-1/$i; done\n"
             "find tides -exec touch -d '2 years ago' {} +\n"
             "cat >policy.yaml <<END\n"
             "olvido: 1\nlimits: { files: 6 }\nrules:\n"
             "  - name: runs\n    under: $PWD/tides\n    where: kind = directory\n"
             "    steps: [ { after: 1 year, do: stamp, as: kept at Faro Norte } ]\n"
             "  - name: readings\n    under: $PWD/tides\n    where: name like \"*.csv\"\n"
             "    steps: [ { after: 1 year, do: stamp, as: read, level: 70000 } ]\n"
             "END");
}

static void it_is_previewed_done_and_recorded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = shell(s, O "$O check; $O preview --list --json | sort | head -1; $O preview");
    assert_contains(o.out, "\"act\":\"stamp\"");
    assert_contains(o.out, "stamp after 1 year");
    o = shell(s, O "$O enforce --yes; $O enforce --yes --json | tail -1; $O audit show --act stamp --json");
    assert_contains(o.out, "6 files and 1 directory stamped (");
    assert_contains(o.out, "\"done\":6,");
    assert_contains(o.out, "\"act\":\"stamp\",\"result\":\"done\"");
    assert_contains(o.out, "tides/run-1");
    shell_ok(s, "test \"$(getfattr --only-values -n user.olvido-stamp tides/1.csv)\" = read\n"
                "test \"$(getfattr --only-values -n user.olvido-stamp tides/run-1)\" = 'kept at Faro Norte'\n"
                "! getfattr -n user.olvido-stamp tides/run-1/1 2>ignored");
}

static void it_is_asked_for_and_limited(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = olvido_on_terminal(s, 200, "no\nyes\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "runs: stamp 3 files and 1 directory (");
    assert_contains(o.out, "kept at Faro Norte?");
    assert_contains(o.out, "readings: stamp 3 files (");
    assert_contains(o.out, "3 stamped");
    o = shell(s, O "sed -i 's/files: 6/files: 3/; s/as:/unattended: yes, as:/' policy.yaml; $O enforce "
                   "--unattended 2>&1");
    assert_int_equal(o.status, 3);
    assert_contains(o.out, "3 files and 1 directory stamped");
    assert_contains(o.out, "refused as a whole, 3 files. That exceeds the limit of 3 files per run");
}

static void it_is_explained_and_its_key_is_checked(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = shell(s, O "$O explain tides/1.csv; $O explain --json tides/1.csv");
    assert_contains(o.out, "stamp after 1 year");
    assert_contains(o.out, "stamp after 1 year read: ");
    assert_contains(o.out, "\"act\":\"stamp\"");
    o = shell(s, O "sed -i 's/, as: read, level: 70000/, level: 7/; s/do: stamp, as: kept/do: discard, as: "
                   "kept/' policy.yaml; $O "
                   "check 2>&1");
    assert_int_equal(o.status, 2);
    assert_contains(o.out, "a step that stamps has no `as`");
    assert_contains(o.out, "`level` cannot be `7`"); /* a key of its own, not that of compress */
    assert_contains(o.out, "100 to 100000");
    assert_contains(o.out, "`as` says nothing about the act `discard`");
}

/* Killed at its second attribute: the first is done, by its own evidence, and the rest is left. */
static void a_killed_run_is_settled_by_its_evidence(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = shell(s, O "cd tides; strace -f -qq -o ../calls -e trace=fsetxattr -e "
                   "inject=fsetxattr:signal=KILL:when=3 $O --policy ../policy.yaml enforce --yes; cd ..\n"
                   "$O enforce --yes 2>&1; $O audit show --json --act stamp; $O audit verify");
    assert_contains(o.out, "an earlier run was cut short");
    assert_contains(o.out, "\"result\":\"done\",\"settled\":true");
    assert_contains(o.out, "\"result\":\"left\",\"settled\":true");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(it_is_previewed_done_and_recorded), TEST(it_is_asked_for_and_limited),
        TEST(it_is_explained_and_its_key_is_checked), TEST(a_killed_run_is_settled_by_its_evidence)};
    setenv("OLVIDO", STAMPING, 0);
    return cmocka_run_group_tests(tests, NULL, NULL);
}
