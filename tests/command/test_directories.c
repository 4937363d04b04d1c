/* SPDX-License-Identifier: Apache-2.0 */
/* Rules about directories: as old as their youngest entry, spared by what they contain, removed as a whole.
 */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Old dives, a directory each: 2019 all old, 2020 with one young file, 2021 empty, 2022 with an old tree. */
static int setup(void **state)
{
    const struct sandbox *s;
    struct outcome o;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    o = shell(s, "mkdir -p dives/2019/raw dives/2020 dives/2021 dives/2022/a/b/c dives/other; echo 12345 "
                 ">dives/2019/a.wav; "
                 "echo 1 >dives/2019/raw/b.wav; echo x >dives/2020/old.wav; echo x >dives/2020/young.wav; "
                 "echo y >dives/2022/a/b/c/deep.wav; "
                 "echo z >dives/other/o.wav; find dives -depth -exec touch -h -d '200 days ago' {} +; touch "
                 "dives/2020/young.wav");
    assert_status(&o, 0);
    return 0;
}

#define RULES "limits: { files: 1000 }\nrules:\n"
#define DIVES                                                                                                \
    "  - { name: dives, under: @/dives, where: 'kind = directory and name like \"20??\"', steps: [ { "       \
    "after: 100 "                                                                                            \
    "days, do: discard } ] }\n"

static struct outcome enforce(const struct sandbox *s, int status)
{
    struct outcome o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, status);
    return o;
}

static void a_directory_goes_as_one_item_and_comes_back_whole(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, RULES, DIVES, NULL);
    o = enforce(s, 0);
    assert_contains(o.out, "3 files and 3 directories discarded");
    assert_int_equal(count_entries(s, "data/Trash/files"), 3);
    assert_true(exists(s, "data/Trash/files/2019/raw/b.wav"));
    assert_true(exists(s, "data/Trash/files/2022/a/b/c/deep.wav"));
    assert_true(exists(s, "dives/2020/old.wav")); /* as young as its youngest */
    assert_true(exists(s, "dives/other/o.wav"));
    o = shell(s, "cut -d ' ' -f 3 data/Trash/directorysizes | sort | tr '\\n' ' '; $O trash show; $O recover "
                 "dives/2019; cat dives/2019/a.wav; "
                 "cut -d ' ' -f 3 data/Trash/directorysizes | sort | tr '\\n' ' '");
    assert_contains(o.out, "2019 2021 2022 ");
    assert_contains(o.out, "directory");
    assert_contains(o.out, "12345\n2021 2022 ");
}

static void what_is_inside_may_spare_it(void **state)
{
    static const struct {
        const char *rules, *left;
    } cases[] = {
        {"  - { name: keep, under: @/dives/2019/raw, steps: [ { after: 0 days, do: keep } ] }\n" DIVES,
         "dives/2019/a.wav"},
        {"  - { name: other, under: @/dives, where: 'name = \"deep.wav\"', steps: [ { after: 10 years, do: "
         "tell } "
         "] }\n" DIVES,
         "dives/2022/a/b/c/deep.wav"},
    };
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        struct outcome o;
        write_policy(s, RULES, cases[i].rules, NULL);
        o = enforce(s, 0);
        assert_contains(o.out, "spared: something in it stays");
        assert_true(exists(s, cases[i].left));
        o = olvido(s, "recover", "dives", NULL);
        o = shell(s, "rm state/state.db*; find dives -depth -exec touch -h -d '200 days ago' {} +; touch "
                     "dives/2020/young.wav");
    }
}

static void an_open_file_inside_spares_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    write_policy(s, RULES, DIVES, NULL);
    o = shell(s, "exec 9>>dives/2022/a/b/c/deep.wav; find dives -depth -exec touch -h -d '200 days ago' {} "
                 "+; $O --policy policy.yaml enforce --yes");
    assert_status(&o, 0);
    assert_contains(
        o.out,
        "4 files and 3 directories discarded"); /* 2019, 2020 and 2021: with nothing open all four are due */
    assert_true(exists(s, "dives/2022/a/b/c/deep.wav"));
}

static void the_outermost_that_is_due_goes_and_takes_the_rest_along(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, RULES,
                 "  - { name: all, under: @/dives, where: 'kind in (file, directory)', steps: [ { after: 100 "
                 "days, do: discard } ] }\n",
                 NULL);
    o = enforce(s, 0);
    assert_contains(
        o.out, "5 files and 4 directories discarded"); /* 2019, 2021, 2022, other; and of 2020 the old file */
    assert_false(exists(s, "dives/2022"));
    assert_true(exists(s, "dives/2020/young.wav"));
    assert_false(exists(s, "dives/2020/old.wav"));
    o = olvido_ends(s, 0, "audit", "verify", NULL);
}

static void something_that_changed_inside_keeps_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, RULES, DIVES, NULL);
    o = olvido_on_terminal(s, 100, "!echo new >>dives/2022/a/b/c/deep.wav\nyes\n", "--policy", "policy.yaml",
                           "enforce", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "2 files and 2 directories discarded");
    assert_true(exists(s, "dives/2022/a/b/c/deep.wav"));
    o = olvido(s, "audit", "show", "--result", "left", NULL);
    assert_contains(o.out, "something in it changed since it was judged");
}

/* As one entry, with its count typed, and none of it comes back. */
static void a_directory_is_deleted_whole(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(
        s, RULES,
        "  - { name: dives, under: @/dives, where: 'kind = directory and name like \"20??\"', steps: [ { "
        "after: 100 days, do: delete } ] }\n",
        NULL);
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "what cannot be taken back was left undone; allow it with --count 3");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--count", "3", NULL);
    assert_contains(o.out, "Done: 3 files and 3 directories deleted");
    assert_false(exists(s, "dives/2019"));
    assert_false(exists(s, "dives/2022"));
    assert_true(exists(s, "dives/2020/young.wav"));
    assert_true(exists(s, "dives/other/o.wav"));
    shell_ok(s, "$O audit verify");
}

/* Emptied in part when the run is cut short: the times that its directories got by that make none younger. */
static void a_delete_that_was_cut_short_stays_due(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    write_policy(
        s, RULES,
        "  - { name: dives, under: @/dives, where: 'kind = directory and name = \"2022\"', steps: [ { "
        "after: 100 days, do: delete } ] }\n",
        NULL);
    o = shell(
        s,
        "export ASAN_OPTIONS=detect_leaks=0; P='--policy policy.yaml'; cut=0; for n in $(seq 4 16); do "
        "rm -rf dives/2022; mkdir -p dives/2022/a/b dives/2022/z; for i in 1 2 3 4 5 6; do "
        "echo $i >dives/2022/a/b/$i.wav; done; echo z >dives/2022/z/z.wav\n"
        "find dives/2022 -depth -exec touch -h -d '200 days ago' {} +\n"
        "strace -f -o /dev/null -e trace=unlinkat -e inject=unlinkat:signal=KILL:when=$n "
        "$O $P enforce --yes --count 7 >/dev/null\n"
        "$O $P enforce --yes >out 2>&1; left=$(find dives/2022 -name '*.wav' | wc -l)\n"
        "test $left = 7 || test $left = 0 || cut=$((cut + 1))\n"
        "test ! -e dives/2022 || $O $P preview | grep -q 'delete after 100 days, 1 directory  *'$left' ' || "
        "{ echo $n: $left; $O $P explain dives/2022; }; done; test $cut -ge 3 && echo cut");
    assert_string_equal(o.out, "cut\n");
}

static void empty_directories_can_be_named(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(
        s, RULES,
        "  - { name: empties, under: @/dives, where: 'kind = directory and empty', steps: [ { after: "
        "100 days, do: discard } ] }\n",
        NULL);
    o = enforce(s, 0);
    assert_contains(o.out, "1 directory discarded");
    assert_false(exists(s, "dives/2021"));
}

static void mounts_and_unreadable_places_inside_spare_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip();
    write_policy(s, RULES, DIVES, NULL);
    o = shell(s, "unshare -m sh -c 'mount -t tmpfs tmpfs dives/2022/a/b; mount -t tmpfs tmpfs dives/2021; "
                 "touch -d \"200 days ago\" dives/2022/a/b dives/2021; "
                 "$OLVIDO --state state --policy policy.yaml enforce --yes'");
    assert_status(&o, 0);
    assert_contains(o.out, "2 files and 1 directory discarded");
    assert_contains(o.out, "spared: something in it stays");
    assert_true(exists(s, "dives/2022/a/b/c/deep.wav"));
    assert_true(exists(s, "dives/2021"));
}

static void olvidos_own_places_inside_spare_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, RULES, DIVES "depots: { cold-room: { path: @/dives/2019/depot } }\n", NULL);
    /* A depot as old as the rest: its age is not what spares it. */
    o = shell(s, "mkdir dives/2019/depot; find dives/2019 -depth -exec touch -h -d '200 days ago' {} +; "
                 "$O --policy policy.yaml enforce --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "1 file and 2 directories discarded");
    assert_contains(o.out, "spared: something in it stays");
    assert_true(exists(s, "dives/2019/depot"));
    assert_true(exists(s, "dives/2019/a.wav"));
}

/* Asked about singly, each directory gets the same verdict as in the list of everything due. */
static void explaining_one_agrees_with_the_plan(void **state)
{
    static const char *const all[] = {"2019",   "2019/raw", "2020",       "2021", "2022",
                                      "2022/a", "2022/a/b", "2022/a/b/c", "other"};
    const struct sandbox *s = *state;
    struct outcome list, o;
    char path[100], word[200];
    int due = 0;
    write_policy(
        s, RULES,
        "  - { name: kept, under: @/dives, where: 'name = \"deep.wav\"', steps: [ { after: 1 day, do: keep } "
        "] }\n"
        "  - { name: dives, under: @/dives, where: 'kind = directory and not empty', steps: [ { after: 100 "
        "days, do: discard } ] }\n",
        NULL);
    list = olvido_ends(s, 0, "--policy", "policy.yaml", "--json", "preview", "--list", NULL);
    for (size_t i = 0; i < sizeof all / sizeof *all; i++) {
        bool is_listed, goes_along;
        snprintf(path, sizeof path, "dives/%s", all[i]);
        o = olvido_ends(s, 0, "--policy", "policy.yaml", "--json", "explain", path, NULL);
        snprintf(word, sizeof word, "%s\"", path);
        is_listed = strstr(list.out, word) != NULL;
        goes_along = strstr(o.out, "\"goes_with\"") != NULL;
        assert_int_equal(is_listed || goes_along, strstr(o.out, "\"state\":\"due\"") != NULL);
        due += is_listed;
    }
    assert_int_equal(due, 2); /* 2019 and other; 2020 is too young, in 2022 something is kept */
    o = olvido(s, "--policy", "policy.yaml", "explain", "dives/2020", "dives/2022", "dives/2019/a.wav",
               "dives/2021", NULL);
    assert_contains(o.out, "counted from the last modification in it");
    assert_contains(o.out, "something in it is kept");
    assert_contains(o.out, "something in it belongs to another rule");
    assert_contains(o.out, "dives/2019, which as a whole is due: discard");
    assert_contains(o.out, "`empty` is true");
}

static void looking_leaves_no_time_of_access(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    write_policy(
        s, RULES,
        "  - { name: unused, under: @/dives, where: 'kind = directory and name like \"20??\"', age-from: "
        "accessed, steps: [ { after: 100 days, do: tell } ] }\n",
        NULL);
    o = shell(s, "accessed() { stat -c '%X %n' dives dives/2019 dives/2019/raw dives/2020 dives/2022/a; }; "
                 "accessed >before; $O survey dives >out; $O --policy policy.yaml preview >out; "
                 "$O --policy policy.yaml explain dives/2019 >out; $O --policy policy.yaml preview --list; "
                 "accessed >after; cmp before after; echo same $?");
    assert_contains(o.out, "same 0");
    assert_contains(o.out, "dives/2019");
}

/* ---- a directory of 300 files is 300 files ---- */

#define CAMPAIGNS                                                                                            \
    "rules:\n  - { name: campaigns, under: @/campaigns, where: kind = directory and depth < 2, steps: [ { "  \
    "after: 30 days, do: discard } ] }\n"

/* Ten campaigns of 30 files in two directories each; `old` of them are due. */
static void make_campaigns(const struct sandbox *s, int old)
{
    char script[400];
    snprintf(script, sizeof script,
             "rm -rf campaigns state data; for c in $(seq 10); do mkdir -p campaigns/$c/raw; "
             "(cd campaigns/$c; for n in $(seq 15); do echo 123456789 >$n; echo 1 >raw/$n; done); done\n"
             "for c in $(seq %d); do find campaigns/$c -depth -exec touch -d '90 days ago' {} +; done; "
             "for c in $(seq %d 10); do find campaigns/$c -depth -exec touch -d '20 days ago' {} +; done",
             old, old + 1);
    shell_ok(s, script);
}

static void limits_count_what_is_in_a_directory(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_campaigns(s, 4);
    write_policy(s, "limits: { files: 119 }\n", CAMPAIGNS, NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "preview", NULL);
    assert_contains(o.out, "120 files and 4 directories are due (720 B)");
    assert_contains(o.out, "That exceeds the limit of 119 files per run");
    o = enforce(s, 3);
    assert_contains(o.err, "refused as a whole");
    assert_int_equal(count_entries(s, "campaigns"), 10);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--over-limit", "campaigns", NULL);
    assert_contains(o.out, "Done: 120 files and 4 directories discarded (720 B)");
    assert_int_equal(count_entries(s, "campaigns"), 6);
    shell_ok(s,
             "grep '\"kind\":\"end\"' state/ledger/lines-* | tail -n 1 | grep -q '\"done\":120,\"left\":0'\n"
             "[ $(grep -c '\"act\":\"discard\",\"result\":\"done\".*\"entries\":31,\"files\":30' "
             "state/ledger/lines-*) = 4 ]");
    make_campaigns(s, 4);
    write_policy(s, "limits: { files: 120, bytes: 719 }\n", CAMPAIGNS, NULL);
    o = enforce(s, 3);
    write_policy(s, "limits: { files: 120, bytes: 720 }\n", CAMPAIGNS, NULL);
    o = olvido_ends(s, 0, "--json", "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "\"done\":120,\"done_size\":720,");
    assert_contains(o.out, "\"directories\":4,");
}

/* In numerator and denominator: of 300 files that the rule owns, 120 are 40 %. */
static void so_do_shares(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_campaigns(s, 4);
    write_policy(s, "limits: { share: 39% }\n", CAMPAIGNS, NULL);
    o = enforce(s, 3);
    assert_contains(o.err, "That is 40 % of the 300 files that the rule owns; the limit is 39 %");
    o = olvido_ends(s, 0, "--json", "--policy", "policy.yaml", "preview", NULL);
    assert_contains(o.out, "\"owned\":{\"files\":300,");
    write_policy(s, "limits: { share: 40% }\n", CAMPAIGNS, NULL);
    o = enforce(s, 0);
    assert_contains(o.out, "120 files and 4 directories discarded");
    make_campaigns(s, 4); /* what is in a directory of the rule's in another one of its counts once */
    write_policy(s,
                 "rules:\n  - { name: campaigns, under: @/campaigns, where: kind = directory, steps: [ { "
                 "after: 30 days, do: discard } ] }\n",
                 NULL);
    o = olvido_ends(s, 0, "--json", "--policy", "policy.yaml", "preview", NULL);
    assert_contains(o.out, "\"owned\":{\"files\":300,");
}

static void questions_say_the_kind(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_campaigns(s, 1);
    write_policy(s, "limits: { files: 100 }\n", CAMPAIGNS, NULL);
    o = olvido_on_terminal(s, 120, "no\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "campaigns: discard 30 files and 1 directory (180 B, oldest");
    assert_int_equal(count_entries(s, "campaigns"), 10);
    shell_ok(
        s, "rm -r campaigns/1/*; touch -d '90 days ago' campaigns/1"); /* an empty one is asked about, too */
    o = olvido_on_terminal(s, 120, "no\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.out, "campaigns: discard 1 directory (0 B, oldest");
    assert_true(exists(s, "campaigns/1"));
    o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.err, "nothing done: this needs an answer");
    o = enforce(s, 0);
    assert_contains(o.out, "Done: 1 directory discarded (0 B)");
}

/* Noted when it is put there; what another program put there is looked at before the question. */
static void the_trash_knows_what_is_in_a_directory(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_campaigns(s, 2);
    write_policy(s, "limits: { files: 100 }\n", CAMPAIGNS, NULL);
    enforce(s, 0);
    shell_ok(s,
             "grep -q '^X-Olvido-Contents=30 180$' data/Trash/info/1.trashinfo\n"
             "mkdir data/Trash/files/desk; for i in 1 2 3 4 5; do echo 123 >data/Trash/files/desk/$i; done\n"
             "printf '[Trash Info]\\nPath=%s/desk\\nDeletionDate=2026-01-01T00:00:00\\n' $PWD "
             ">data/Trash/info/desk.trashinfo");
    o = olvido_ends(s, 0, "trash", "show", NULL);
    assert_contains(o.out, "campaigns/1 (30 files)");
    assert_contains(o.out, "desk (5 files)");
    assert_contains(o.out, "3 items, 65 files and 3 directories, 380 B");
    o = olvido_ends(s, 0, "recover", "--list", NULL);
    assert_contains(o.out, "3 items, 65 files and 3 directories, 380 B, can be recovered");
    o = olvido_on_terminal(s, 120, "no\n", "trash", "clear", NULL);
    assert_contains(o.out, "Remove 3 items (65 files and 3 directories, 380 B) from the trash for good?");
    o = olvido_ends(s, 0, "recover", "campaigns", "desk", NULL);
    assert_contains(o.out, "Done: 65 files and 3 directories recovered (380 B)");
    shell_ok(s, "[ $(find campaigns desk -type f | wc -l) = 305 ]");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_directory_goes_as_one_item_and_comes_back_whole),
        TEST(what_is_inside_may_spare_it),
        TEST(an_open_file_inside_spares_it),
        TEST(the_outermost_that_is_due_goes_and_takes_the_rest_along),
        TEST(something_that_changed_inside_keeps_it),
        TEST(a_directory_is_deleted_whole),
        TEST(a_delete_that_was_cut_short_stays_due),
        TEST(empty_directories_can_be_named),
        TEST(mounts_and_unreadable_places_inside_spare_it),
        TEST(olvidos_own_places_inside_spare_it),
        TEST(explaining_one_agrees_with_the_plan),
        TEST(looking_leaves_no_time_of_access),
        TEST(limits_count_what_is_in_a_directory),
        TEST(so_do_shares),
        TEST(questions_say_the_kind),
        TEST(the_trash_knows_what_is_in_a_directory),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
