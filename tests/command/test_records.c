/* SPDX-License-Identifier: Apache-2.0 */
/* What the commands that read the record say of it is so: also beside a run, without a ledger, behind its
 * end. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>

/* Runs begin and end all the while, and each look is one between their calls. */
static void verifying_beside_runs_accuses_nobody(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char script[900];
    make_scratch_policy(s);
    snprintf(script, sizeof script,
             "O=\"$O --policy policy.yaml\"; $O enforce --yes >out\n"
             "(n=0; until [ -e stop ] || [ ! -d tides ]; do n=$((n + 1)); echo $n >tides/scratch/$n.tmp\n"
             "  touch -d '90 days ago' tides/scratch/$n.tmp; $O enforce --yes >out 2>err || echo $? "
             ">>failed; done) &\n"
             "wrong=0; for i in $(seq %u); do $O audit verify >said 2>&1 || { cat said; wrong=1; }; done\n"
             "touch stop; wait; [ ! -e failed ] || { cat failed out err; wrong=1; }; exit $wrong",
             400 / stride());
    o = shell(s, script);
    assert_status(&o, 0);
}

static void a_run_at_work_is_not_said_to_be_cut_short(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    make_scratch_policy(s);
    make_file(s, "tides/scratch/a.tmp", "x", 90);
    shell_ok(
        s, "O=\"$O --policy policy.yaml\"; export ASAN_OPTIONS=detect_leaks=0\n"
           "strace -f -qq -o trace -e trace=renameat2 -e inject=renameat2:delay_enter=2s $O enforce --yes "
           ">out &\n"
           "p=$!; for i in $(seq 300); do [ -e state/runs/open ] && break; sleep 0.01; done\n"
           "$O audit verify >said; grep -q 'A run is at work' said; wait $p\n"
           "$O audit verify >said; ! grep -q 'run' said\n"
           "echo 2 >tides/scratch/b.tmp; touch -d '90 days ago' tides/scratch/b.tmp; s=0\n"
           "strace -f -qq -o trace -e trace=renameat2 -e inject=renameat2:signal=KILL $O enforce --yes >out "
           "|| s=$?\n"
           "[ $s = 137 ]; $O audit verify >said; grep -q 'was cut short; the next one will settle it' said");
}

static void a_ledger_that_is_gone_is_not_one_that_never_was(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "audit", "show", NULL);
    assert_contains(o.err, "there is no ledger yet: nothing has been done");
    make_scratch_policy(s);
    make_file(s, "tides/scratch/a.tmp", "x", 90);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    shell_ok(s, "rm -r state/ledger");
    o = olvido_ends(s, 5, "audit", "show", NULL);
    assert_contains(o.err, "the ledger is gone, though runs were recorded in it");
    o = olvido_ends(s, 5, "audit", "verify", NULL);
    assert_contains(o.err, "the ledger is gone, though runs were recorded in it");
    o = olvido_ends(s, 5, "--policy", "policy.yaml", "enforce", "--yes", NULL);
}

static void bytes_behind_the_last_line_are_told(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_scratch_policy(s);
    make_file(s, "tides/scratch/a.tmp", "x", 90);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    o = olvido_ends(s, 0, "audit", "verify", NULL);
    assert_lacks(o.out, "Behind the last whole line");
    shell_ok(s, "printf '{\"line\":9' >>state/ledger/lines-000000000000.jsonl");
    o = olvido_ends(s, 0, "audit", "verify", NULL);
    assert_contains(o.out, "Its last line is not finished after 9 bytes: the next run cuts it off");
    o = olvido_ends(s, 0, "--json", "audit", "verify", NULL);
    assert_contains(o.out, "\"torn_bytes\":9");
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    o = olvido_ends(s, 0, "audit", "verify", NULL);
    assert_lacks(o.out, "Behind the last whole line");
}

static void a_misspelt_depot_is_not_sound(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_dir(s, "depot");
    write_policy(s, "depots: { cold-room: { path: @/depot } }\nrules: []\n", NULL);
    o = olvido_ends(s, 2, "depot", "verify", "cold-rom", NULL);
    assert_contains(o.err, "neither the catalogue nor the policy has a depot `cold-rom`");
    olvido_ends(s, 2, "depot", "show", "cold-rom", NULL);
    make_file(s, "one.csv", "tide", 1);
    shell_ok(s, "printf 'olvido: 1\\ndepots: { cold-room: { path: %s/depot } }\\nrules: [ { name: r, under: "
                "%s/t, steps: [ "
                "{ after: 9 years, do: tell } ] } ]\\n' $PWD $PWD >policy.yaml");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "depot", "verify", "cold-room", NULL);
    assert_contains(o.out, "Sound: 0 archives");
    olvido_ends(s, 2, "--policy", "policy.yaml", "depot", "verify", "cold-rom", NULL);
    olvido_ends(s, 0, "--policy", "policy.yaml", "archive", "one.csv", "--depot", "cold-room", NULL);
    o = olvido_ends(s, 0, "depot", "verify", "cold-room", NULL);
    assert_contains(o.out, "Sound: 1 archive");
    olvido_ends(s, 2, "depot", "verify", "cold-rom", NULL);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(verifying_beside_runs_accuses_nobody),
        TEST(a_run_at_work_is_not_said_to_be_cut_short),
        TEST(a_ledger_that_is_gone_is_not_one_that_never_was),
        TEST(bytes_behind_the_last_line_are_told),
        TEST(a_misspelt_depot_is_not_sound),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
