/* SPDX-License-Identifier: Apache-2.0 */
/* trash show, recover, audit: what was discarded can be seen, recovered and accounted for. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* Three files discarded by one run, one more by a second. */
static int discarded_setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_scratch_policy(s);
    make_dir(s, "tides/scratch/deep");
    make_file(s, "tides/scratch/a.tmp", "first", 100);
    make_file(s, "tides/scratch/mar\xE9 b.tmp", "bbb", 90);
    make_file(s, "tides/scratch/deep/c.log", "ccc", 80);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    make_file(s, "tides/scratch/a.tmp", "second", 70);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    return 0;
}

static struct outcome recover(const struct sandbox *s, const char *pattern, int status)
{
    struct outcome o = olvido(s, "recover", pattern, NULL);
    assert_status(&o, status);
    return o;
}

static void the_trash_shows_where_things_were(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "trash", "show", NULL);
    assert_contains(o.out, "tides/scratch/deep/c.log");
    assert_contains(o.out, "mar\\xE9 b.tmp");
    assert_contains(o.out, "4 items, 17 B");
    o = olvido(s, "trash", "show", "--json", NULL);
    assert_contains(o.out, "\"state\":\"sound\"");
}

static void an_empty_trash_is_no_error(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "rm -rf data; $O trash show");
    assert_status(&o, 0);
    assert_contains(o.out, "0 items, 0 B");
    o = recover(s, "tides", 1);
    assert_contains(o.err, "nothing in the trash or a depot matches");
}

static void a_path_comes_back_with_its_newest_version(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "tides/scratch/a.tmp", 0);
    char *text = slurp(s, "tides/scratch/a.tmp");
    assert_string_equal(text, "second");
    assert_contains(o.out, "1 recovered (6 B)");
    assert_contains(o.out, "1 older version stayed where it is");
    assert_int_equal(count_entries(s, "data/Trash/files"), 3);
    assert_int_equal(count_entries(s, "data/Trash/info"), 3);
}

static void times_and_modes_survive(void **state)
{
    const struct sandbox *s = *state;
    struct stat before, after;
    assert_int_equal(stat(in(s, "data/Trash/files/c.log"), &before), 0);
    recover(s, "tides/scratch/deep/c.log", 0);
    assert_int_equal(stat(in(s, "tides/scratch/deep/c.log"), &after), 0);
    assert_int_equal(before.st_ino, after.st_ino);
    assert_int_equal(before.st_mtim.tv_sec, after.st_mtim.tv_sec);
    assert_int_equal(before.st_mode, after.st_mode);
}

static void patterns_fit_names_paths_and_trees(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "*.log", 0);
    assert_contains(o.out, "1 recovered");
    o = recover(s, "tides/scratch/mar*", 0);
    assert_contains(o.out, "1 recovered");
    o = recover(s, "tides/../tides/./scratch/", 0);
    assert_contains(o.out, "1 recovered");
}

static void a_directory_that_is_gone_is_made_again(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "rm -r tides/scratch; $O recover 'tides/**'");
    assert_status(&o, 0);
    assert_contains(o.out, "3 recovered");
    assert_true(exists(s, "tides/scratch/deep/c.log"));
}

static void nothing_is_ever_overwritten(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char *text;
    make_file(s, "tides/scratch/a.tmp", "here first", 1);
    o = recover(s, "tides", 3);
    assert_contains(o.err, "a.tmp: the name is taken, so it stays in the trash");
    assert_contains(o.out, "2 recovered (6 B), 1 refused");
    text = slurp(s, "tides/scratch/a.tmp");
    assert_string_equal(text, "here first");
    assert_int_equal(count_entries(s, "data/Trash/info"), 2);
}

static void a_taken_place_is_treated_as_was_asked_for(void **state)
{
    const struct sandbox *s = *state;
    static const struct {
        const char *what, *there, *newcomer;
        int status;
    } cases[] = {{"skip", "a.tmp", NULL, 0},
                 {"number", "a.tmp", "a (2).tmp", 0},
                 {"number", "a.tmp", "a (3).tmp", 0},
                 {"set-aside", "a.set-aside-1.tmp", "a.tmp", 0},
                 {"set-aside", "a.set-aside-2.tmp", "a.tmp", 0},
                 {"replace", NULL, "a.tmp", 0},
                 {"refuse", "a.tmp", NULL, 3}};
    ON_LINUX_ONLY();
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        char path[100], *text;
        struct outcome o =
            shell(s, "rm -f tides/scratch/a.tmp; echo -n later >tides/scratch/a.tmp; touch -d '99 days ago' "
                     "tides/scratch/a.tmp; "
                     "$O --policy policy.yaml enforce --yes; echo -n here >tides/scratch/a.tmp");
        assert_status(&o, 0);
        o = olvido(s, "recover", "a.tmp", "--if-exists", cases[i].what, NULL);
        assert_status(&o, cases[i].status);
        snprintf(path, sizeof path, "tides/scratch/%s", cases[i].there ? cases[i].there : "a.tmp");
        text = slurp(s, path);
        assert_string_equal(text, cases[i].there ? "here" : "later");
        snprintf(path, sizeof path, "tides/scratch/%s", cases[i].newcomer ? cases[i].newcomer : "");
        text = cases[i].newcomer ? slurp(s, path) : NULL;
        if (text)
            assert_string_equal(text, "later");
    }
}

static void a_taken_place_can_be_asked_about(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char *text;
    make_file(s, "tides/scratch/a.tmp", "here first", 1);
    make_file(s, "tides/scratch/deep/c.log", "here too", 1);
    o = olvido_on_terminal(s, 100, "number\nno\n", "recover", "tides", "--if-exists", "ask", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, " exists. Recover the other one");
    assert_contains(o.out, "2 recovered (9 B), 1 not allowed");
    text = slurp(s, "tides/scratch/a (2).tmp");
    assert_string_equal(text, "second");
    o = olvido_ends(s, 2, "recover", "tides", "--if-exists", "ask", NULL);
    assert_contains(o.err, "needs a terminal");
    o = olvido_ends(s, 2, "recover", "tides", "--if-exists", "relpace", NULL);
    assert_contains(o.err, "did you mean `replace`?");
}

static void into_a_directory_keeps_as_much_of_the_path_as_is_needed(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "recover", "c.log", "--into", "back", NULL);
    assert_true(exists(s, "back/c.log"));
    o = olvido_ends(s, 0, "recover", "tides", "--into", "back/all", NULL);
    assert_true(exists(s, "back/all/a.tmp"));
    assert_true(exists(s, "back/all/mar\xE9 b.tmp"));
    o = olvido(s, "audit", "show", "--json", NULL);
    assert_contains(o.out, "back/all/a.tmp"); /* the ledger says where it is now */
}

static void what_was_recovered_is_left_alone_for_a_while(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "c.log", 0);
    ON_LINUX_ONLY();
    o = shell(s,
              "mv tides/scratch/deep/c.log tides/scratch/renamed.log; $O --policy policy.yaml enforce --yes");
    assert_status(&o, 0);
    assert_contains(o.out, "recovered recently");
    assert_contains(o.out, "nothing was due");
    assert_true(exists(s, "tides/scratch/renamed.log"));
    o = shell(s, "$O --policy policy.yaml preview --as-of $(date -d '+31 days' +%F)");
    assert_contains(o.out, "1 file is due");
    o = shell(s, "cp -p tides/scratch/renamed.log tides/scratch/copy.log; $O --policy policy.yaml preview");
    assert_contains(o.out, "1 file is due"); /* a copy is another file */
}

static void a_time_can_be_recovered(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "$O recover --list --until $(date -u -d yesterday +%F); $O recover --list --since "
                 "$(date -u -d yesterday +%F)");
    assert_status(&o, 0);
    assert_contains(o.out, "0 items, 0 B, can be recovered");
    assert_contains(o.out, "3 items, 12 B, can be recovered");
    o = olvido_ends(s, 2, "recover", "--since", "yesterday", NULL);
    assert_contains(o.err, "`yesterday` is not a date");
}

/* ---- clearing ---- */

static void clearing_asks_first_and_only_yes_does_it(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 3, "trash", "clear", NULL);
    assert_contains(o.err, "nothing removed: this needs an answer. Use a terminal or --yes");
    o = olvido_on_terminal(s, 100, "no\n", "trash", "clear", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "Remove 4 items (17 B) from the trash for good? Nothing brings them back.");
    assert_int_equal(count_entries(s, "data/Trash/info"), 4);
    o = olvido_on_terminal(s, 100, "yes\n", "trash", "clear", "**/c.log", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "1 removed for good (3 B)");
    assert_int_equal(count_entries(s, "data/Trash/info"), 3);
    assert_int_equal(count_entries(s, "data/Trash/files"), 3);
    o = olvido(s, "audit", "show", NULL);
    assert_contains(o.out, "clear: done");
}

static void ten_items_need_their_count_typed(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "for i in 1 2 3 4 5 6; do echo x >tides/scratch/x$i; touch -d '50 days ago' tides/scratch/x$i; "
           "done; $O --policy policy.yaml enforce --yes");
    assert_status(&o, 0);
    o = olvido_ends(s, 3, "trash", "clear", "--yes", NULL);
    assert_contains(o.err, "needs --count 10");
    o = olvido_ends(s, 3, "trash", "clear", "--count", "9", NULL);
    assert_contains(o.err, "--count 9 is not the number of items that fit: 10; nothing was done");
    o = olvido_on_terminal(s, 100, "y\n", "trash", "clear", NULL);
    assert_status(&o, 3);
    assert_contains(o.out, "to do it, anything else to leave it?");
    assert_int_equal(count_entries(s, "data/Trash/files"), 10);
    o = olvido_on_terminal(s, 100, "10\n", "trash", "clear", NULL);
    assert_status(&o, 0);
    assert_int_equal(count_entries(s, "data/Trash/files"), 0);
    assert_int_equal(count_entries(s, "data/Trash/info"), 0);
}

static void a_directory_of_another_program_needs_its_count_and_goes_whole(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "mkdir -p data/Trash/files/photos/a/b; ln -s /etc data/Trash/files/photos/a/link; "
           "d=data/Trash/files/photos; for i in $(seq 1 120); do d=$d/deep; mkdir $d; echo x >$d/f; done; "
           "[ $(id -u) != 0 ] || chmod 0 data/Trash/files/photos/a/b; "
           "printf '[Trash Info]\nPath=/srv/photos\nDeletionDate=2026-01-02T03:04:05\n' "
           ">data/Trash/info/photos.trashinfo; "
           "$O trash clear /srv/photos --yes; echo status=$?; $O trash clear /srv/photos --count 1; echo "
           "status=$?");
    assert_contains(o.out, "status=3");
    assert_contains(o.out, "status=0");
    assert_contains(o.out, "121 files and 1 directory removed for good");
    assert_false(exists(s, "data/Trash/files/photos"));
    assert_false(exists(s, "data/Trash/info/photos.trashinfo"));
}

static void clearing_by_age_and_preview(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "trash", "clear", "--older-than", "1 day", "--yes", NULL);
    assert_contains(o.err, "nothing in the trash matches");
    o = olvido_ends(s, 0, "trash", "clear", "--older-than", "0 days", "--preview", NULL);
    assert_contains(o.out, "4 items");
    assert_int_equal(count_entries(s, "data/Trash/files"), 4);
}

static void a_link_in_the_way_is_not_followed(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "mv tides/scratch moved; mkdir precious; ln -s ../precious tides/scratch; $O recover tides");
    assert_status(&o, 1);
    assert_contains(o.err, "a link or a file is where its directory was");
    assert_int_equal(count_entries(s, "precious"), 0);
}

static void a_whole_run_comes_back(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "run=$($O audit show --json | sed -n "
                                "'s/.*\"kind\":\"begin\",\"run\":\"\\([^\"]*\\)\".*/\\1/p' | head -n 1); "
                                "$O recover --run $run");
    char *text;
    assert_status(&o, 0);
    assert_contains(o.out, "3 recovered");
    text = slurp(s, "tides/scratch/a.tmp");
    assert_string_equal(text, "first"); /* that run's version, not the newest */
    o = olvido_ends(s, 2, "recover", "--run", "20200101-0000-none", NULL);
    assert_contains(o.err, "the ledger has no run 20200101-0000-none");
}

static void list_shows_without_touching(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "recover", "--list", NULL);
    assert_contains(o.out, "a.tmp (and 1 older)");
    assert_contains(o.out, "3 items, 12 B, can be recovered");
    assert_int_equal(count_entries(s, "data/Trash/files"), 4);
}

static void saying_nothing_recovers_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 2, "recover", NULL);
    assert_contains(o.err, "say what to recover");
}

static void the_audit_tells_the_whole_story(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "tides/scratch/a.tmp", 0);
    o = olvido_ends(s, 0, "audit", "show", NULL);
    assert_contains(o.out, "run begins      enforce");
    assert_contains(o.out, "discard: done");
    assert_contains(o.out, "recover: done");
    assert_contains(o.out, "3 done, 0 left, 0 failed; finished");
    o = olvido_ends(s, 0, "audit", "verify", "--json", NULL);
    assert_contains(o.out, "\"finding\":\"sound\",\"lines\":");
}

static void tampering_is_named_with_exit_5(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "sed -i '3s/\"size\":[0-9]*/\"size\":99999/' state/ledger/lines-*.jsonl; $O audit verify");
    assert_status(&o, 5);
    assert_contains(
        o.out, "Not sound: ledger/lines-000000000000.jsonl, line 3 (number 2 of the ledger) was altered");
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, 0); /* the damage is covered by the checkpoint, which is intact: new lines still prove
                             what they prove */
}

static void an_altered_docket_is_named_with_exit_5(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "f=$(ls state/runs/*/000001.docket | head -n 1); printf x >>$f; $O audit verify");
    assert_status(&o, 5);
    assert_contains(o.out, "was altered");
    o = shell(s, "rm state/runs/*/000001.docket; $O audit verify");
    assert_status(&o, 5);
    assert_contains(o.out, "is missing");
}

static void without_a_ledger_there_is_nothing_to_verify(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 6, "--state", "nowhere", "audit", "verify", NULL);
    assert_contains(o.err, "there is no ledger there");
    o = olvido_ends(s, 0, "--state", "nowhere", "audit", "show", NULL);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, discarded_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(the_trash_shows_where_things_were),
        TEST(an_empty_trash_is_no_error),
        TEST(a_path_comes_back_with_its_newest_version),
        TEST(times_and_modes_survive),
        TEST(patterns_fit_names_paths_and_trees),
        TEST(a_directory_that_is_gone_is_made_again),
        TEST(nothing_is_ever_overwritten),
        TEST(a_taken_place_is_treated_as_was_asked_for),
        TEST(a_taken_place_can_be_asked_about),
        TEST(into_a_directory_keeps_as_much_of_the_path_as_is_needed),
        TEST(what_was_recovered_is_left_alone_for_a_while),
        TEST(a_time_can_be_recovered),
        TEST(clearing_asks_first_and_only_yes_does_it),
        TEST(ten_items_need_their_count_typed),
        TEST(a_directory_of_another_program_needs_its_count_and_goes_whole),
        TEST(clearing_by_age_and_preview),
        TEST(a_link_in_the_way_is_not_followed),
        TEST(a_whole_run_comes_back),
        TEST(list_shows_without_touching),
        TEST(saying_nothing_recovers_nothing),
        TEST(the_audit_tells_the_whole_story),
        TEST(tampering_is_named_with_exit_5),
        TEST(an_altered_docket_is_named_with_exit_5),
        TEST(without_a_ledger_there_is_nothing_to_verify),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
