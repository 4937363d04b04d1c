/* SPDX-License-Identifier: Apache-2.0 */
/* An act is one file and one line: a program with acts that nothing else names (tests/acts/) previews them,
 * asks for them, limits, does, remembers, records, settles, explains and takes them back. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define O              "O=\"$O --policy policy.yaml\"; "
#define STAMP_OF(file) "getfattr --only-values -n user.olvido-stamp " file

/* ---- stamp ---- */

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
    o = shell(s, O "$O enforce --yes; $O audit show --act stamp --json");
    assert_contains(o.out, "6 files and 1 directory stamped (");
    assert_contains(o.out, "\"act\":\"stamp\",\"result\":\"done\"");
    assert_contains(o.out, "tides/run-1");
    shell_ok(s, "test \"$(" STAMP_OF("tides/1.csv") ")\" = 'read at 70000'\n"
                                                    "test \"$(" STAMP_OF(
                                                        "tides/run-1") ")\" = 'kept at Faro Norte at 100'\n"
                                                                       "! " STAMP_OF(
                                                                           "tides/run-1/1") " 2>ignored");
}

/* Neither files nor directories, whatever their names are by then; but what is there anew, yes, and all of
 * them when the step says something else. */
static void it_is_not_done_twice(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = shell(s, O "$O enforce --yes >first; $O enforce --yes --json | tail -1; $O preview --json | head -3");
    assert_contains(o.out, "\"done\":0,\"done_size\":0");
    o = shell(s, O "mv tides/1.csv tides/9.csv; mv tides/run-1 tides/run-2; echo more >>tides/2.csv\n"
                   "touch -d '2 years ago' tides/2.csv tides; $O enforce --yes --json | tail -1");
    assert_contains(o.out, "\"done\":0,\"done_size\":0");
    o = shell(s, O "mv tides/3.csv aside; seq 300 >tides/3.csv; touch -d '2 years ago' tides/3.csv tides\n"
                   "$O enforce --yes --json | tail -1; $O explain tides/9.csv");
    assert_contains(o.out, "\"done\":1,");
    assert_contains(o.out, "done already");
    o = shell(s, O "sed -i 's/level: 70000/level: 300/' policy.yaml; $O enforce --yes --json | tail -1");
    assert_contains(o.out, "\"done\":3,");
    shell_ok(s, "test \"$(" STAMP_OF("tides/9.csv") ")\" = 'read at 300'");
    /* a name that goes on to the next file, while the former one goes on under another */
    o = shell(s,
              O "mv tides/2.csv tides/8.csv; seq 500 >tides/2.csv; touch -d '2 years ago' tides/2.csv tides\n"
                "for i in 1 2; do $O enforce --yes --json | tail -1; done; $O explain tides/8.csv");
    assert_contains(o.out, "\"done\":1,");
    assert_contains(o.out, "\"done\":0,");
    assert_contains(o.out, "done already");
}

/* Each name of a file is one decision; what the first of them changed is no change by others. */
static void hard_links_are_stamped_each(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = shell(s, O "mkdir tides/b; for i in 1 2 3; do ln tides/$i.csv tides/b/$i.csv; done\n"
                   "sed -i 's/files: 6/files: 60/; s/kind = directory/name = \"none\"/' policy.yaml\n"
                   "$O enforce --yes --json | tail -1; $O enforce --yes --json | tail -1");
    assert_contains(o.out, "\"done\":6,");
    assert_contains(o.out, "\"left\":0,");
    assert_contains(o.out, "\"done\":0,");
}

/* Where others can write, another name may be of somebody else's file. */
static void a_link_that_others_may_have_made_is_left(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    o = shell(s,
              O "seq 40 >private; touch -d '2 years ago' private; ln private tides/own.csv; chmod 777 tides\n"
                "touch -d '2 years ago' tides; sed -i 's/kind = directory/name = \"none\"/' policy.yaml\n"
                "$O enforce --yes --json | tail -1; $O audit show --result left");
    assert_contains(o.out, "\"done\":3,");
    assert_contains(o.out, "others can write its directory");
    shell_ok(s, "! " STAMP_OF("private") " 2>ignored");
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
    o = shell(s, O "sed -i 's/files: 6/files: 2/; s/as:/unattended: yes, as:/; s/level: 70000/level: 300/' "
                   "policy.yaml; $O enforce --unattended 2>&1");
    assert_int_equal(o.status, 3);
    assert_contains(o.out, "refused as a whole, 3 files. That exceeds the limit of 2 files per run");
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

/* Killed at each of its attributes: what was done is known by its own evidence and is not done again, the
 * rest is left and done by the next run, and the third has nothing to do. */
static void a_killed_run_is_settled_and_nothing_is_done_twice(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_tree(s);
    for (int at = 1; at <= 4; at++) {
        char line[900];
        snprintf(line, sizeof line,
                 O
                 "rm -rf state; find tides -exec setfattr -x user.olvido-stamp {} \\; 2>ignored\n"
                 "cd tides; strace -f -qq -o ../calls -e trace=fsetxattr -e "
                 "inject=fsetxattr:signal=KILL:when=%d $O --policy ../policy.yaml enforce --yes; cd ..\n"
                 "$O enforce --yes >second 2>&1; grep 'cut short' second; $O enforce --yes --json | tail -1\n"
                 "$O audit show --json --act stamp --result done | grep -o 'tides/[^\"]*' | sort | uniq -c\n"
                 "$O audit verify",
                 at);
        o = shell(s, line);
        assert_status(&o, 0);
        assert_contains(o.out, "an earlier run was cut short");
        assert_contains(o.out, "\"done\":0,\"done_size\":0");
        for (int i = 1; i <= 3; i++) {
            snprintf(line, sizeof line, " 1 tides/%d.csv", i);
            assert_contains(o.out, line);
        }
        assert_contains(o.out, " 1 tides/run-1");
    }
}

/* ---- twin ---- */

static void make_readings(const struct sandbox *s, const char *steps)
{
    char policy[1500];
    ON_LINUX_ONLY();
    snprintf(policy, sizeof policy,
             "mkdir -p tides/b depot copies; for i in 1 2 3; do seq $i 300 >tides/$i.csv; done; seq 50 "
             ">tides/b/4.csv\n"
             "setfattr -n user.station -v 7 tides/1.csv; chmod 640 tides/1.csv\n"
             "find tides -exec touch -d '2 years ago' {} +\n"
             "cat >policy.yaml <<END\n"
             "olvido: 1\ndepots: { cold-room: { path: $PWD/depot } }\nrules:\n"
             "  - name: readings\n    under: $PWD/tides\n    where: name like \"*.csv\"\n    steps: %s\n"
             "END",
             steps);
    shell_ok(s, policy);
}

static void a_twin_is_the_same_and_is_made_once(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: twin, to: \"{dir}/{stem}-kept.{suffix}.old\" } ]");
    o = shell(s, O "$O preview; $O enforce --yes; $O enforce --yes --json | tail -1");
    assert_contains(o.out, "twin after 1 year");
    assert_contains(o.out, "4 twinned (");
    assert_contains(o.out, "recover --run");
    assert_contains(o.out, "\"done\":0,");
    shell_ok(s, "for i in 1 2 3 b/4; do cmp tides/$i.csv tides/$i-kept.csv.old; done\n"
                "test \"$(getfattr --only-values -n user.station tides/1-kept.csv.old)\" = 7\n"
                "test $(stat -c %a-%Y tides/1-kept.csv.old) = $(stat -c %a-%Y tides/1.csv)");
    /* it is due again when the contents or the destination change */
    o = shell(s, O "tr 0-9 1-90 <tides/2.csv >new; cat new >tides/2.csv; touch -d '2 years ago' tides/2.csv; "
                   "$O enforce --yes 2>&1\n"
                   "sed -i 's/-kept/-again/' policy.yaml; $O enforce --yes --json | tail -1");
    assert_contains(o.out, "1 refused");
    assert_contains(o.out, "there is a 2-kept.csv.old already");
    assert_contains(o.out, "\"done\":4,");
}

static void a_twin_obeys_what_is_there(void **state)
{
    static const struct {
        const char *word, *said, *then;
    } ways[] = {
        {"refuse", "refused", "grep -q newcomer copies/2.csv"},
        {"skip", "left alone", "grep -q newcomer copies/2.csv"},
        {"number", "4 twinned", "grep -q newcomer copies/2.csv; cmp tides/2.csv 'copies/2 (2).csv'"},
        {"set-aside", "4 twinned", "grep -q newcomer copies/2.set-aside-1.csv; cmp tides/2.csv copies/2.csv"},
        {"replace", "4 twinned", "cmp tides/2.csv copies/2.csv"}};
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof ways / sizeof *ways; i++) {
        char steps[200], line[400];
        struct outcome o;
        snprintf(steps, sizeof steps,
                 "[ { after: 1 year, do: twin, to: \"$PWD/copies/{name}\", if-exists: %s } ]", ways[i].word);
        make_readings(s, steps);
        shell_ok(s, "rm -rf state copies; mkdir copies; echo newcomer >copies/2.csv");
        o = shell(s, O "$O enforce --yes 2>&1");
        assert_contains(o.out, ways[i].said);
        snprintf(line, sizeof line, "set -e; cmp tides/1.csv copies/1.csv; %s", ways[i].then);
        shell_ok(s, line);
    }
}

/* Copies that nobody changed go; a changed one stays, and so does one whose original is gone. */
static void twins_are_taken_back(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: twin, to: \"$PWD/copies/{name}\" } ]");
    o = shell(s, O "$O enforce --yes >out; run=$(grep -o 'run [0-9].*' out | cut -d' ' -f2)\n"
                   "$O recover --run $run --into aside; $O recover --run $run '*'; ls copies | wc -l");
    assert_string_equal(o.out, "4\n"); /* what goes elsewhere, or is chosen, is what was put away */
    o = shell(s, O "run=$(grep -o 'run [0-9].*' out | cut -d' ' -f2)\n"
                   "echo edited >>copies/2.csv; rm tides/3.csv; $O recover --run $run --list\n"
                   "$O recover --run $run 2>&1; ls copies tides; $O audit show --act take-back --json");
    assert_contains(o.out, "a copy, is taken away");
    assert_contains(o.out, "2 taken back");
    assert_contains(o.out, "2 left alone");
    assert_contains(o.out, "differs from its original by now");
    assert_contains(o.out, "its original is gone");
    shell_ok(s, "! test -e copies/1.csv; ! test -e copies/4.csv; test -e copies/2.csv; test -e copies/3.csv\n"
                "test -e tides/1.csv; test -e tides/b/4.csv");
}

/* A step that never lapses is done before a later one whose time has come, too. */
static void a_twin_is_made_before_a_later_step(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 30 days, do: compress }, { after: 60 days, do: twin, to: "
                     "\"$PWD/copies/{name}\" }, { after: 1 year, do: discard } ]");
    o = shell(s, O "$O enforce --yes; $O enforce --yes; $O enforce --yes --json | tail -1");
    assert_contains(o.out, "4 twinned");
    assert_contains(o.out, "4 discarded");
    assert_contains(o.out, "\"done\":0,");
    shell_ok(s, "test $(ls copies | wc -l) = 4; ! test -e tides/1.csv");
}

/* Nor is it made again of what a later step made of the file. */
static void what_a_file_has_had_goes_along_with_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(
        s, "[ { after: 30 days, do: twin, to: \"$PWD/copies/{name}\" }, { after: 60 days, do: compress } ]");
    o = shell(s, O "$O enforce --yes; $O enforce --yes; $O enforce --yes --json | tail -1; $O preview");
    assert_contains(o.out, "4 twinned");
    assert_contains(o.out, "compressed");
    assert_contains(o.out, "\"done\":0,");
    shell_ok(s, "test $(ls copies | wc -l) = 4; test -e tides/1.csv.zst");
}

static void a_twin_goes_to_no_guarded_place(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: twin, to: \"/etc/{name}\" } ]");
    o = shell(s, O "$O enforce --yes 2>&1; ls /etc/1.csv 2>&1");
    assert_contains(o.out, "4 refused");
    assert_contains(o.out, "guarded: it would go to a system directory");
    assert_contains(o.out, "No such file");
    o = shell(s, O "sed -i 's|/etc/{name}|{name}|' policy.yaml; $O check 2>&1");
    assert_int_equal(o.status, 2);
    assert_contains(o.out, "a path that begins with / or {dir}/");
}

/* ---- spoil ---- */

/* What an open descriptor shows of a file that is gone. */
#define ONLY_ZEROS(fd)                                                                                       \
    "test $(cat <&" fd " | wc -c) -gt 0; test $(cat /dev/fd/" fd " | tr -d '\\0' | wc -c) = 0; "

static void what_goes_from_a_tree_is_overwritten(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: spoil, passes: 2 } ]");
    o = shell(s, O "exec 3<tides/1.csv 4<tides/b/4.csv; ln tides/2.csv tides/other; $O explain tides/1.csv\n"
                   "$O enforce --yes 2>&1; $O audit show --result left; set -e\n" ONLY_ZEROS("3")
                       ONLY_ZEROS("4"));
    assert_status(&o, 0);
    assert_contains(o.out, "spoil after 1 year with passes 2");
    assert_contains(o.out, "3 spoilt");
    assert_contains(o.out, "2 names (hard links)"); /* its contents are somebody else's, too */
    shell_ok(s, "! test -e tides/1.csv; cmp tides/2.csv tides/other");
}

/* In the docket of a policy what is in a directory comes first; and a whole directory goes as one. */
static void a_directory_goes_from_the_bottom_up(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: spoil } ]");
    o = shell(
        s,
        O "sed -i 's/where: .*/where: kind = directory/' policy.yaml; mkdir tides/b/c; seq 9 >tides/b/c/d\n"
          "find tides -exec touch -d '2 years ago' {} +; exec 3<tides/b/c/d\n"
          "printf '2\\n' | $O enforce --yes --count 2 2>&1; set -e\n" ONLY_ZEROS("3"));
    assert_status(&o, 0);
    assert_contains(o.out, "2 files and 1 directory spoilt");
    shell_ok(s, "! test -e tides/b; test -e tides/1.csv; ! ls -A tides | grep olvido");
}

static void what_lies_in_the_trash_is_overwritten(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: discard } ]");
    o = shell(
        s,
        O "mkdir tides/dir; seq 5 >tides/dir/x; seq 6 >tides/dir/y; $O enforce --yes >out\n"
          "mv tides/dir data/Trash/files/dir; exec 3<data/Trash/files/1.csv 4<data/Trash/files/dir/y\n"
          "$O act spoil passes=1; set -e\n" ONLY_ZEROS("3") ONLY_ZEROS(
              "4") "ls data/Trash/files data/Trash/info; $O audit show --act spoil --json; $O audit verify");
    assert_status(&o, 0);
    assert_contains(o.out, "6 done, 0 left, 0 failed");
    assert_contains(o.out, "\"act\":\"spoil\",\"result\":\"done\"");
    shell_ok(s, "test -z \"$(ls data/Trash/files data/Trash/info | grep -v :)\"");
}

static void what_lies_in_a_depot_is_overwritten(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(
        s, "[ { after: 30 days, do: archive, depot: cold-room, pack: tar }, { after: 3 years, do: spoil } ]");
    o = shell(s, O "$O enforce --yes >out; exec 3<$(ls depot/*.tar); sed -i 's/3 years/1 year/' policy.yaml\n"
                   "sed -i 's/name like \"\\*.csv\"/name = \"1.csv\"/' policy.yaml\n"
                   "$O enforce --yes; set -e\n" ONLY_ZEROS("3") "$O contents depot/*.tar; $O depot verify");
    assert_status(&o, 0);
    assert_contains(o.out, "1 spoilt");
    assert_contains(o.out, "2.csv");
    assert_lacks(o.out, "tides/1.csv");
}

/* ---- forget ---- */

static void an_act_that_does_not_ask_ends_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_readings(s, "[ { after: 1 year, do: forget } ]");
    o = shell(s, O
              "cp -p tides/1.csv tides/not-asked.csv; sed -i 's/like \"\\*.csv\"/= \"1.csv\"/' policy.yaml\n"
              "$O enforce --yes 2>&1");
    assert_int_equal(o.status, 1);
    assert_contains(o.out, "nobody asked right before whether it may go");
    shell_ok(s, "test -e tides/1.csv; test -e tides/not-asked.csv");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {TEST(it_is_previewed_done_and_recorded),
                                       TEST(it_is_not_done_twice),
                                       TEST(hard_links_are_stamped_each),
                                       TEST(a_link_that_others_may_have_made_is_left),
                                       TEST(it_is_asked_for_and_limited),
                                       TEST(it_is_explained_and_its_key_is_checked),
                                       TEST(a_killed_run_is_settled_and_nothing_is_done_twice),
                                       TEST(a_twin_is_the_same_and_is_made_once),
                                       TEST(a_twin_obeys_what_is_there),
                                       TEST(twins_are_taken_back),
                                       TEST(a_twin_is_made_before_a_later_step),
                                       TEST(what_a_file_has_had_goes_along_with_it),
                                       TEST(a_twin_goes_to_no_guarded_place),
                                       TEST(what_goes_from_a_tree_is_overwritten),
                                       TEST(a_directory_goes_from_the_bottom_up),
                                       TEST(what_lies_in_the_trash_is_overwritten),
                                       TEST(what_lies_in_a_depot_is_overwritten),
                                       TEST(an_act_that_does_not_ask_ends_nothing)};
    setenv("OLVIDO", ACTING, 0);
    return cmocka_run_group_tests(tests, NULL, NULL);
}
