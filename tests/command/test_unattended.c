/* SPDX-License-Identifier: Apache-2.0 */
/* What a run may do: limits, unattended runs, new rules, files in use, and the policy's own
 * trash. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Twelve of the 30 files of `a` and both of `b` are old. */
static void fill(const struct sandbox *s)
{
    char name[64];
    for (int i = 0; i < 30; i++) {
        snprintf(name, sizeof name, "tides/a/%02d.tmp", i);
        make_file(s, name, "0123456789", i < 12 ? 100 : 1);
    }
    make_file(s, "tides/b/one.tmp", "x", 100);
    make_file(s, "tides/b/two.tmp", "x", 100);
}

static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    make_dir(*state, "tides");
    make_dir(*state, "tides/a");
    make_dir(*state, "tides/b");
    fill(*state);
    return 0;
}

/* Two rules for the two directories; `a`'s step runs unattended. */
#define RULES                                                                                                \
    "\nrules:\n"                                                                                             \
    "  - { name: a, under: @/tides/a, steps: [ { after: 30 days, do: discard, unattended: yes } ] }\n"       \
    "  - { name: b, under: @/tides/b, steps: [ { after: 30 days, do: discard } ] }\n"

static struct outcome enforce(const struct sandbox *s, const char *option, int status)
{
    struct outcome o = olvido(s, "--policy", "policy.yaml", "enforce", option, NULL);
    assert_status(&o, status);
    return o;
}

/* ---- unattended ---- */

static void unattended_only_what_the_policy_marks_is_done(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 100 }", RULES, NULL);
    o = enforce(s, "--unattended", 0);
    assert_contains(o.out, "waits: not allowed unattended");
    assert_contains(o.out, "12 discarded");
    assert_int_equal(count_entries(s, "tides/a"), 18);
    assert_int_equal(count_entries(s, "tides/b"), 2);
    o = olvido_on_terminal(s, 100, "", "--policy", "policy.yaml", "enforce", "--unattended", NULL);
    assert_status(&o, 0); /* and nothing is asked, not even on a terminal */
    assert_contains(o.out, "nothing was due");
}

/* ---- limits ---- */

static void a_rule_over_a_limit_is_refused_as_a_whole_when_unattended(void **state)
{
    static const struct {
        const char *limit, *words;
    } cases[] = {
        {"limits: { files: 11 }", "That exceeds the limit of 11 files per run"},
        {"limits: { bytes: 119 }", "That exceeds the limit of 119 B per run"},
        {"limits: { share: 39% }", "That is 40 % of the 30 files that the rule owns; the limit is 39 %"},
    };
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        struct outcome o;
        write_policy(s, cases[i].limit, RULES, NULL);
        o = enforce(s, "--unattended", 3);
        assert_contains(o.err, "rule a: refused as a whole, 12 files.");
        assert_contains(o.err, cases[i].words);
        assert_contains(o.out, cases[i].words); /* the plan says so beforehand */
        assert_contains(o.out, "12 not allowed, so left undone");
        assert_int_equal(count_entries(s, "tides/a"), 30);
    }
}

static void a_rule_at_its_limit_is_not_over_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 12, bytes: 120, share: 40% }", RULES, NULL);
    o = enforce(s, "--unattended", 0);
    assert_contains(o.out, "12 discarded");
    assert_lacks(o.out, "limit");
}

static void limits_count_over_all_rules_of_a_run(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 13 }", RULES, NULL);
    o = olvido(s, "--policy", "policy.yaml", "preview", NULL);
    assert_contains(
        o.out, "b: 2 files are due, 14 with the rules before it. That exceeds the limit of 13 files per run");
    assert_lacks(o.out, "a: 12 files are due. That exceeds");
}

static void a_share_is_asked_of_rules_with_twenty_files_only(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { share: 50% }", RULES, NULL);
    o = olvido(s, "--policy", "policy.yaml", "preview", NULL); /* all of b's two files */
    assert_lacks(o.out, "limit is");
}

static void on_a_terminal_a_limit_is_part_of_the_question(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 5 }", RULES, NULL);
    o = olvido_on_terminal(s, 200, "no\nyes\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "to the trash? That exceeds the limit of 5 files per run.");
    assert_contains(o.out, "2 discarded");
}

/* What exceeds a limit needs a person who answers, or its rule's name. */
static void yes_beforehand_exceeds_no_limit(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 5 }", RULES, NULL);
    o = enforce(s, "--yes", 3);
    assert_contains(o.err, "rule a: refused as a whole, 12 files. That exceeds the limit of 5 files per run");
    assert_contains(o.err, "--over-limit RULE");
    assert_contains(o.out, "2 discarded");
    assert_true(exists(s, "tides/a/00.tmp"));
    o = olvido_on_terminal(s, 200, "yes\n", "--policy", "policy.yaml", "enforce", "--yes", "--rule", "a",
                           NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "to the trash? That exceeds the limit of 5 files per run.");
    assert_contains(o.out, "12 discarded");
}

static void a_rule_may_exceed_its_limits_by_name(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 5 }", RULES, NULL);
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", "--over-limit", "b", NULL);
    assert_contains(o.err, "rule a: refused as a whole");
    assert_true(exists(s, "tides/a/00.tmp"));
    o = olvido_ends(s, 2, "--policy", "policy.yaml", "enforce", "--yes", "--over-limit", "c", NULL);
    assert_contains(o.err, "the policy has no rule `c`");
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--over-limit", "a", NULL);
    assert_contains(o.err, "this needs an answer. Use a terminal or --yes"); /* it answers no question */
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--unattended", "--over-limit", "a", NULL);
    assert_contains(o.out, "12 discarded");
}

/* What a run has taken counts for the rules after it: by --yes, and by name beyond a limit. */
static void what_earlier_rules_took_counts(void **state)
{
    static const struct {
        const char *limit, *over, *words;
    } cases[] = {
        {"limits: { files: 13 }", NULL, "limit of 13 files per run"},
        {"limits: { bytes: 121 }", NULL, "limit of 121 B per run"},
        {"limits: { files: 5 }", "a", "limit of 5 files per run"},
        {"limits: { bytes: 50 }", "a", "limit of 50 B per run"},
    };
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        const char *option = cases[i].over ? "--over-limit" : NULL;
        struct outcome o;
        fill(s);
        write_policy(s, cases[i].limit, RULES, NULL);
        o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", option, cases[i].over, NULL);
        assert_contains(o.out, "12 discarded (120 B)");
        assert_contains(o.err, "rule b: refused as a whole, 2 files.");
        assert_contains(o.err, cases[i].words);
        assert_int_equal(count_entries(s, "tides/b"), 2);
    }
}

/* The limit stays for every rule that is not named, before it and after it, and what was refused takes
 * nothing. */
static void only_the_rule_that_is_named_exceeds_its_limits(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "limits: { files: 1 }", RULES, NULL);
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", "--over-limit", "b", NULL);
    assert_contains(o.err, "rule a: refused as a whole, 12 files.");
    assert_contains(o.out, "2 discarded (2 B)");
    assert_int_equal(count_entries(s, "tides/a"), 30);
    fill(s);
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", "--over-limit", "a", NULL);
    assert_contains(o.err, "rule b: refused as a whole, 2 files.");
    assert_int_equal(count_entries(s, "tides/b"), 2);
    fill(s);
    write_policy(s, "limits: { files: 2 }", RULES, NULL); /* b's two are within it, because a takes none */
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "rule a: refused as a whole, 12 files.");
    assert_contains(o.out, "2 discarded (2 B)");
}

/* ---- the policy's trash ---- */

/* Pretends that everything in the trash was discarded long ago. */
static void age_the_trash(const struct sandbox *s)
{
    struct outcome o =
        shell(s, "sed -i 's/^DeletionDate=.*/DeletionDate=2026-01-02T03:04:05/' data/Trash/info/*");
    assert_status(&o, 0);
}

static void what_olvido_discarded_is_cleared_in_time(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "trash: { keep: 30 days }", RULES, NULL);
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", "--rule", "b", NULL);
    o = shell(s, "echo x >data/Trash/files/foreign; printf '[Trash "
                 "Info]\\nPath=/foreign\\nDeletionDate=2026-01-02T03:04:05\\n' "
                 ">data/Trash/info/foreign.trashinfo; $O --policy policy.yaml preview");
    assert_lacks(o.out, "clear"); /* discarded just now */
    age_the_trash(s);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "clear after 30 days");
    assert_contains(o.out, "12 discarded (120 B), 2 removed for good (2 B)");
    assert_true(exists(s, "data/Trash/files/foreign")); /* another program's */
    assert_false(exists(s, "data/Trash/files/one.tmp"));
    assert_int_equal(count_entries(s, "data/Trash/info"), 13);
    o = olvido(s, "audit", "show", "--act", "clear", NULL);
    assert_contains(o.out, "tides/b/one.tmp");
}

static const char *const WRONG_COUNTS[] = {"0", "1", "13", "15", "140"}; /* of 14 */

static void clearing_ten_needs_their_count(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "trash: { keep: 30 days }", RULES, NULL);
    o = enforce(s, "--yes", 0);
    age_the_trash(s);
    o = enforce(s, "--yes", 3);
    assert_contains(o.err, "needs --count 14");
    assert_int_equal(count_entries(s, "data/Trash/files"), 14);
    for (size_t i = 0; i < sizeof WRONG_COUNTS / sizeof *WRONG_COUNTS; i++) {
        o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", "--count", WRONG_COUNTS[i],
                        NULL);
        assert_int_equal(count_entries(s, "data/Trash/files"), 14);
        o = olvido_ends(s, 3, "trash", "clear", "--yes", "--count", WRONG_COUNTS[i], NULL);
        assert_int_equal(count_entries(s, "data/Trash/files"), 14);
    }
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--count", "14", NULL);
    assert_int_equal(count_entries(s, "data/Trash/files"), 0);
    assert_int_equal(count_entries(s, "data/Trash/info"), 0);
}

#define ENDS                                                                                                 \
    "\nrules:\n"                                                                                             \
    "  - { name: a, under: @/tides/a, steps: [ { after: 30 days, do: delete } ] }\n"

static unsigned left_after(const struct sandbox *s, const char *answers, int status)
{
    struct outcome o = olvido_on_terminal(s, 100, answers, "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, status);
    return count_entries(s, "tides/a");
}

/* From ten on; one digit too few or too many, or nothing, is no count. */
static void ten_files_need_their_count_to_the_digit(void **state)
{
    static const char *const wrong[] = {"yes\n1\n",   "yes\n\n", "yes\n100\n", "yes\n 10\n",
                                        "yes\nyes\n", "yes\n",   "\n\n"};
    const struct sandbox *s = *state;
    ON_LINUX_ONLY(); /* elsewhere nothing tells which files are open, so none is deleted */
    write_policy(s, "limits: { files: 100 }", ENDS, NULL);
    assert_int_equal(unlink(in(s, "tides/a/00.tmp")) + unlink(in(s, "tides/a/01.tmp")), 0);
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++)
        if (left_after(s, wrong[i], 3) != 28)
            fail_msg("`%s` deletes", wrong[i]);
    olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", "--count", "9", NULL);
    olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", "--count", "11", NULL);
    assert_int_equal(count_entries(s, "tides/a"), 28);
    assert_int_equal(left_after(s, "yes\n10\n", 0), 18);
}

static void nine_files_need_no_count(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY(); /* elsewhere nothing tells which files are open, so none is deleted */
    write_policy(s, "limits: { files: 100 }", ENDS, NULL);
    for (int i = 0; i < 3; i++)
        assert_int_equal(unlink(in(s, i == 0   ? "tides/a/00.tmp"
                                      : i == 1 ? "tides/a/01.tmp"
                                               : "tides/a/02.tmp")),
                         0);
    assert_int_equal(left_after(s, "no\n", 3), 27);
    assert_int_equal(left_after(s, "yes\n", 0), 18);
}

/* A rule that does both: one answer about what can be taken back says nothing about what ends for good. */
static void what_ends_for_good_is_asked_apart(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY(); /* elsewhere nothing tells which files are open, so none is deleted */
    shell_ok(
        s, "rm tides/a/0[4-9].tmp tides/a/1?.tmp tides/a/2?.tmp; touch -d '500 days ago' tides/a/0[12].tmp; "
           "echo x >tides/a/more.tmp; touch -d '500 days ago' tides/a/more.tmp");
    write_policy(s, "limits: { files: 100 }",
                 "\nrules:\n  - { name: a, under: @/tides/a, steps: [ { after: 30 days, do: discard }, "
                 "{ after: 1 year, do: delete } ] }\n",
                 NULL);
    o = olvido_on_terminal(s, 100, "list\nno\nlist\nno\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "a: discard 2 files (20 B, oldest");
    assert_contains(o.out, "a: delete 3 files (22 B, oldest");
    assert_contains(o.out, ") for good? Nothing brings them back.");
    assert_int_equal(count_entries(s, "tides/a"), 5);
    o = olvido_on_terminal(s, 100, "yes\nno\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "2 discarded (20 B)");
    assert_int_equal(count_entries(s, "tides/a"), 3);
    shell_ok(s, "echo y >tides/a/young.tmp; touch -d '40 days ago' tides/a/young.tmp");
    o = olvido_on_terminal(s, 100, "no\neach\nno\nrest\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "2 deleted");
    assert_true(exists(s, "tides/a/young.tmp"));
    assert_int_equal(count_entries(s, "tides/a"), 2);
    o = olvido_on_terminal(s, 100, "yes\nstop\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 3);
    assert_int_equal(count_entries(s, "tides/a"), 2);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_int_equal(count_entries(s, "tides/a"), 0);
}

/* One directory is enough, because nobody sees what is in it. */
static void clearing_a_directory_needs_the_count(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_dir(s, "tides/b/d");
    make_file(s, "tides/b/d/deep.tmp", "x", 100);
    set_age(s, "tides/b/d", 100);
    write_policy(s, "trash: { keep: 30 days }",
                 "\nrules:\n  - { name: b, under: @/tides/b, where: kind = directory, steps: [ { after: 30 "
                 "days, do: discard } ] }\n",
                 NULL);
    o = enforce(s, "--yes", 0);
    assert_contains(o.out, "1 file and 1 directory discarded");
    age_the_trash(s);
    o = enforce(s, "--yes", 3);
    assert_contains(o.err, "needs --count 1");
    assert_int_equal(count_entries(s, "data/Trash/files"), 1);
    o = olvido_on_terminal(s, 100, "yes\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_int_equal(count_entries(s, "data/Trash/files"), 1);
    o = olvido_on_terminal(s, 100, "1\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 0);
    assert_int_equal(count_entries(s, "data/Trash/files"), 0);
}

/* ---- new rules ---- */

static void prepare_old_trash(const struct sandbox *s, const char *trash)
{
    write_policy(s, trash, RULES, NULL);
    enforce(s, "--yes", 0);
    age_the_trash(s);
}

static void change_register(const struct sandbox *s, const char *sql)
{
    char script[400];
    snprintf(script, sizeof script,
             "/usr/bin/python3 -c \"import sqlite3; c = sqlite3.connect('state/state.db'); "
             "assert c.execute(\\\"%s\\\").rowcount > 0; c.commit()\"",
             sql);
    shell_ok(s, script);
}

/* Pretends that every rule has existed for a month. */
static void age_the_rules(const struct sandbox *s)
{
    change_register(s, "update rule set since = since - 30 * 86400");
}

static void what_cannot_be_taken_back_waits_while_the_rule_is_new(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    prepare_old_trash(s, "trash: { keep: 30 days, unattended: yes }");
    o = enforce(s, "--unattended", 0);
    assert_contains(o.out, "waits: the rule is new or changed");
    assert_int_equal(count_entries(s, "data/Trash/files"), 14);
    age_the_rules(s);
    o = enforce(s, "--unattended", 0);
    assert_int_equal(count_entries(s, "data/Trash/files"), 0);
}

static void a_changed_rule_waits_again(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    prepare_old_trash(s, "trash: { keep: 30 days, unattended: yes }");
    age_the_rules(s);
    write_policy(s, "trash: { keep: 20 days, unattended: yes }", RULES, NULL);
    o = enforce(s, "--unattended", 0);
    assert_contains(o.out, "waits: the rule is new or changed");
    o = shell(s,
              "rm -r state; $O --policy policy.yaml enforce --unattended"); /* nothing is known of any rule */
    assert_contains(o.out, "waits: the rule is new or changed");
    assert_int_equal(count_entries(s, "data/Trash/files"), 14);
}

static void unattended_the_trash_must_be_marked_too(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    prepare_old_trash(s, "trash: { keep: 30 days }");
    age_the_rules(s);
    o = enforce(s, "--unattended", 0);
    assert_contains(o.out, "waits: not allowed unattended");
    assert_int_equal(count_entries(s, "data/Trash/files"), 14);
}

/* ---- files in use ---- */

static void a_file_open_for_writing_is_spared(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    write_policy(s, "limits: { files: 100 }", RULES, NULL);
    o = shell(s, "exec 9>>tides/b/one.tmp; touch -d '100 days ago' tides/b/one.tmp; $O --policy policy.yaml "
                 "enforce --yes");
    assert_status(&o, 0); /* being spared is no failure */
    assert_contains(o.out, "spared: open for writing");
    assert_contains(o.out, "13 discarded");
    assert_true(exists(s, "tides/b/one.tmp"));
}

static void a_file_opened_after_the_question_is_left_alone(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    write_policy(s, "limits: { files: 100 }", RULES, NULL);
    o = olvido_on_terminal(s, 100, "no\n!(sleep 2 9>>tides/b/one.tmp) & sleep 0.3\nyes\n", "--policy",
                           "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "1 discarded");
    assert_contains(o.out, "1 left alone");
    assert_true(exists(s, "tides/b/one.tmp"));
    o = olvido(s, "audit", "show", "--result", "left", NULL);
    assert_contains(o.out, "it is open for writing");
}

static void open_too_takes_it_all_the_same(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s,
                 "rules: [ { name: b, under: @/tides/b, open-too: yes, settle: 0 seconds, steps: [ { "
                 "after: 30 days, do: discard } ] } ]\n",
                 NULL);
    o = shell(s, "exec 9>>tides/b/one.tmp; touch -d '100 days ago' tides/b/one.tmp; $O --policy policy.yaml "
                 "enforce --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "2 discarded");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(unattended_only_what_the_policy_marks_is_done),
        TEST(a_rule_over_a_limit_is_refused_as_a_whole_when_unattended),
        TEST(a_rule_at_its_limit_is_not_over_it),
        TEST(limits_count_over_all_rules_of_a_run),
        TEST(a_share_is_asked_of_rules_with_twenty_files_only),
        TEST(on_a_terminal_a_limit_is_part_of_the_question),
        TEST(yes_beforehand_exceeds_no_limit),
        TEST(a_rule_may_exceed_its_limits_by_name),
        TEST(what_earlier_rules_took_counts),
        TEST(only_the_rule_that_is_named_exceeds_its_limits),
        TEST(what_olvido_discarded_is_cleared_in_time),
        TEST(clearing_ten_needs_their_count),
        TEST(ten_files_need_their_count_to_the_digit),
        TEST(nine_files_need_no_count),
        TEST(what_ends_for_good_is_asked_apart),
        TEST(clearing_a_directory_needs_the_count),
        TEST(what_cannot_be_taken_back_waits_while_the_rule_is_new),
        TEST(a_changed_rule_waits_again),
        TEST(unattended_the_trash_must_be_marked_too),
        TEST(a_file_open_for_writing_is_spared),
        TEST(a_file_opened_after_the_question_is_left_alone),
        TEST(open_too_takes_it_all_the_same),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
