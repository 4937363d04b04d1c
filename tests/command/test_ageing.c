/* SPDX-License-Identifier: Apache-2.0 */
/* What a rule discarded goes on ageing in the trash, by its original path. */
#include "support/command.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#define RULE                                                                                                 \
    "rules:\n  - name: scratch\n    under: @/w\n    where: name like \"*.csv\"\n    steps:\n"                \
    "      - { after: 30 days, do: discard }\n      - { after: 200 days, do: delete }\n"

static int setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "w");
    make_file(s, "w/a.csv", "aa", 60);
    make_file(s, "w/b.csv", "bbb", 60);
    make_file(s, "w/c.csv", "c", 1);
    write_policy(s, RULE, "trash: { keep: 300 days }\n", NULL);
    return 0;
}

static struct outcome enforce(const struct sandbox *s, int status)
{
    return olvido_ends(s, status, "--policy", "policy.yaml", "enforce", "--yes", NULL);
}

static void a_later_step_ends_it_there(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "check", "policy.yaml", NULL);
    assert_lacks(o.err, "never comes");
    o = enforce(s, 0);
    assert_contains(o.out, "Done: 2 discarded (5 B)");
    shell_ok(s, "grep -x X-Olvido-Rule=scratch data/Trash/info/a.csv.trashinfo");
    o = enforce(s, 0);
    assert_contains(o.out, "0 files are due");
    shell_ok(s, "touch -d '201 days ago' data/Trash/files/a.csv");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "preview", "--list", NULL);
    assert_contains(o.out, "delete    scratch");
    assert_contains(o.out, "/w/a.csv");
    assert_contains(o.out, "1 entry, 2 B");
    o = enforce(s, 0);
    assert_contains(o.out, "Done: 1 deleted (2 B)");
    assert_false(exists(s, "data/Trash/files/a.csv"));
    assert_false(exists(s, "data/Trash/info/a.csv.trashinfo"));
    assert_true(exists(s, "data/Trash/files/b.csv"));
    shell_ok(s, "$O audit verify");
}

/* Whichever comes first; and one entry, whoever ends it. */
static void the_trash_of_the_policy_may_come_first(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    enforce(s, 0);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "explain", "w/a.csv", NULL);
    assert_contains(o.out, "not there any more; it lies in the trash ");
    assert_contains(o.out, "delete after 200 days: ");
    assert_contains(o.out, ", by rule scratch, which comes before the policy's `trash`");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "preview", "--list", "--as-of", "2040-01-01", NULL);
    assert_contains(o.out, "3 entries, 6 B");
    assert_lacks(o.out, "clear");
    write_policy(s, RULE, "trash: { keep: 90 days }\n", NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "explain", "w/a.csv", NULL);
    assert_contains(o.out, ", by the policy's `trash`, which comes before its rule");
    write_policy(s, RULE, NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "--json", "explain", "w/b.csv", NULL);
    assert_contains(o.out, "\"discarded\":\"20");
    assert_lacks(o.out, "trash_end");
}

/* What a person, or another program, put there is not the rule's. */
static void what_others_put_there_is_not_the_rules(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    shell_ok(s, "$O discard w/a.csv; touch -d '400 days ago' data/Trash/files/a.csv w/b.csv; "
                "mv w/b.csv data/Trash/files/b.csv; "
                "printf '[Trash Info]\\nPath=%s/w/b.csv\\nDeletionDate=2026-01-02T03:04:05\\n' \"$PWD\" "
                ">data/Trash/info/b.csv.trashinfo");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "preview", "--list", NULL);
    assert_contains(o.out, "0 entries");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "explain", "w/a.csv", NULL);
    assert_contains(o.out, "none: a person discarded it");
    assert_contains(o.out, ", by the policy's `trash`");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "explain", "w/b.csv", NULL);
    assert_contains(o.out, "nothing ends it there");
}

/* The rule that owns its path now decides; without one, it stays. */
static void the_present_rule_decides(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    enforce(s, 0);
    shell_ok(s, "touch -d '201 days ago' data/Trash/files/*");
    write_policy(
        s,
        "rules:\n  - { name: first, under: @/w, where: name like \"a*\", steps: [ { after: 1 year, do: "
        "delete } ] }\n  - { name: scratch, under: @/elsewhere, steps: [ { after: 1 day, do: delete } ] }\n",
        NULL);
    shell_ok(s, "mkdir elsewhere");
    o = enforce(s, 0);
    assert_contains(o.out, "0 files are due");
    shell_ok(s, "touch -d '400 days ago' data/Trash/files/*");
    o = enforce(s, 0);
    assert_contains(o.out, "Done: 1 deleted (2 B)");
    assert_true(exists(s, "data/Trash/files/b.csv"));
}

/* Limits count what a rule's own step ends there, unattended runs wait, and ten need their count. */
static void it_is_asked_about_as_anywhere(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    enforce(s, 0);
    shell_ok(s, "touch -d '201 days ago' data/Trash/files/*");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--unattended", NULL);
    assert_contains(o.out, "waits: not allowed unattended");
    assert_true(exists(s, "data/Trash/files/a.csv"));
    write_policy(s, RULE, "limits: { files: 1 }\n", NULL);
    o = enforce(s, 3);
    assert_contains(o.out, "2 not allowed");
    write_policy(s, RULE, NULL);
    shell_ok(s,
             "for i in 1 2 3 4 5 6 7 8 9 10; do echo x >w/n$i.csv; touch -d '60 days ago' w/n$i.csv; done; "
             "$O --policy policy.yaml enforce --yes; touch -d '201 days ago' data/Trash/files/*");
    o = enforce(s, 3);
    assert_contains(o.err, "--count 10");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--count", "10", NULL);
    assert_contains(o.out, "Done: 10 deleted");
}

/* A directory is as old there as what is in it; a compressed file is what it was. */
static void directories_and_compressed_files_age_there(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(
        s,
        "rules:\n  - { name: runs, under: @/w, where: 'kind = directory and name like \"run*\"', steps: [ { "
        "after: 30 days, do: discard }, { after: 200 days, do: delete } ] }\n"
        "  - { name: packed, under: @/w, where: name like \"*.csv\", steps: [ { after: 20 days, do: compress "
        "}, { after: 30 days, do: discard }, { after: 200 days, do: delete } ] }\n",
        NULL);
    shell_ok(s,
             "mkdir -p w/run-1/x; echo 1 >w/run-1/x/f; touch -d '60 days ago' w/run-1/x/f w/run-1/x w/run-1; "
             "yes gauge | head -c 5000 >w/a.csv; touch -d '25 days ago' w/a.csv w/b.csv; "
             "$O --policy policy.yaml enforce --yes; sed -i 's/after: 30 days/after: 22 days/' policy.yaml; "
             "$O --policy policy.yaml enforce --yes; ls data/Trash/files");
    assert_true(exists(s, "data/Trash/files/run-1/x/f"));
    assert_true(exists(s, "data/Trash/files/a.csv.zst"));
    shell_ok(s, "sed -i 's/after: 200 days/after: 24 days/' policy.yaml");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--count", "3", NULL);
    assert_contains(o.out, "3 files and 1 directory deleted");
    assert_false(exists(s, "data/Trash/files/run-1"));
    assert_false(exists(s, "data/Trash/files/a.csv.zst"));
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_later_step_ends_it_there),
        TEST(the_trash_of_the_policy_may_come_first),
        TEST(what_others_put_there_is_not_the_rules),
        TEST(the_present_rule_decides),
        TEST(it_is_asked_about_as_anywhere),
        TEST(directories_and_compressed_files_age_there),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
