/* SPDX-License-Identifier: Apache-2.0 */
/* trash show, recover, audit: what was discarded can be seen, taken back, and accounted for. */
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
    struct outcome o;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_scratch_policy(s);
    make_dir(s, "tides/scratch/deep");
    make_file(s, "tides/scratch/a.tmp", "first", 100);
    make_file(s, "tides/scratch/mar\xE9 b.tmp", "bbb", 90);
    make_file(s, "tides/scratch/deep/c.log", "ccc", 80);
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, 0);
    outcome_free(&o);
    make_file(s, "tides/scratch/a.tmp", "second", 70);
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(&o, 0);
    outcome_free(&o);
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
    struct outcome o = olvido(s, "trash", "show", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "tides/scratch/deep/c.log");
    assert_contains(o.out, "mar\\xE9 b.tmp");
    assert_contains(o.out, "4 items, 17 B");
    outcome_free(&o);
    o = olvido(s, "trash", "show", "--json", NULL);
    assert_contains(o.out, "\"state\":\"sound\"");
    outcome_free(&o);
}

static void an_empty_trash_is_no_error(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "rm -rf data; $O trash show");
    assert_status(&o, 0);
    assert_contains(o.out, "0 items, 0 B");
    outcome_free(&o);
    o = recover(s, "tides", 1);
    assert_contains(o.err, "the trash has nothing that fits");
    outcome_free(&o);
}

static void a_path_comes_back_with_its_newest_version(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "tides/scratch/a.tmp", 0);
    char *text = slurp(s, "tides/scratch/a.tmp");
    assert_string_equal(text, "second");
    assert_contains(o.out, "1 recovered (6 B)");
    assert_contains(o.out, "1 older version of the same paths stayed in the trash");
    assert_int_equal(count_entries(s, "data/Trash/files"), 3);
    assert_int_equal(count_entries(s, "data/Trash/info"), 3);
    free(text);
    outcome_free(&o);
}

static void times_and_modes_survive(void **state)
{
    const struct sandbox *s = *state;
    struct stat before, after;
    struct outcome o;
    assert_int_equal(stat(in(s, "data/Trash/files/c.log"), &before), 0);
    o = recover(s, "tides/scratch/deep/c.log", 0);
    assert_int_equal(stat(in(s, "tides/scratch/deep/c.log"), &after), 0);
    assert_int_equal(before.st_ino, after.st_ino);
    assert_int_equal(before.st_mtim.tv_sec, after.st_mtim.tv_sec);
    assert_int_equal(before.st_mode, after.st_mode);
    outcome_free(&o);
}

static void patterns_fit_names_paths_and_trees(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "*.log", 0);
    assert_contains(o.out, "1 recovered");
    outcome_free(&o);
    o = recover(s, "tides/scratch/mar*", 0);
    assert_contains(o.out, "1 recovered");
    outcome_free(&o);
    o = recover(s, "tides/../tides/./scratch/", 0);
    assert_contains(o.out, "1 recovered");
    outcome_free(&o);
}

static void a_directory_that_is_gone_is_made_again(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "rm -r tides/scratch; $O recover 'tides/**'");
    assert_status(&o, 0);
    assert_contains(o.out, "3 recovered");
    assert_true(exists(s, "tides/scratch/deep/c.log"));
    outcome_free(&o);
}

static void nothing_is_ever_overwritten(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char *text;
    make_file(s, "tides/scratch/a.tmp", "here first", 1);
    o = recover(s, "tides", 3);
    assert_contains(o.err, "a.tmp: its place is taken, so it stays in the trash");
    assert_contains(o.out, "2 recovered (6 B), 1 refused");
    text = slurp(s, "tides/scratch/a.tmp");
    assert_string_equal(text, "here first");
    assert_int_equal(count_entries(s, "data/Trash/info"), 2);
    free(text);
    outcome_free(&o);
}

static void a_link_in_the_way_is_not_followed(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "mv tides/scratch moved; mkdir precious; ln -s ../precious tides/scratch; $O recover tides");
    assert_status(&o, 1);
    assert_contains(o.err, "a link or a file stands where its directory was");
    assert_int_equal(count_entries(s, "precious"), 0);
    outcome_free(&o);
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
    free(text);
    outcome_free(&o);
    o = olvido(s, "recover", "--run", "20200101-0000-none", NULL);
    assert_status(&o, 2);
    assert_contains(o.err, "the ledger knows no run 20200101-0000-none");
    outcome_free(&o);
}

static void list_shows_without_touching(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "recover", "--list", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "a.tmp (and 1 older)");
    assert_contains(o.out, "3 files, 12 B, can be recovered");
    assert_int_equal(count_entries(s, "data/Trash/files"), 4);
    outcome_free(&o);
}

static void saying_nothing_recovers_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "recover", NULL);
    assert_status(&o, 2);
    assert_contains(o.err, "say what to recover");
    outcome_free(&o);
}

static void the_audit_tells_the_whole_story(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = recover(s, "tides/scratch/a.tmp", 0);
    outcome_free(&o);
    o = olvido(s, "audit", "show", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "run begins      enforce");
    assert_contains(o.out, "discard: done");
    assert_contains(o.out, "recover: done");
    assert_contains(o.out, "3 done, 0 left, 0 failed; finished");
    outcome_free(&o);
    o = olvido(s, "audit", "verify", "--json", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "\"finding\":\"sound\",\"lines\":");
    outcome_free(&o);
}

static void tampering_is_named_with_exit_5(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "sed -i '3s/\"size\":[0-9]*/\"size\":99999/' state/ledger/lines-*.jsonl; $O audit verify");
    assert_status(&o, 5);
    assert_contains(
        o.out, "Not sound: ledger/lines-000000000000.jsonl, line 3 (number 2 of the ledger) was altered");
    outcome_free(&o);
    o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_status(
        &o,
        0); /* the damage lies under the checkpoint, which is intact: new lines still prove what they prove */
    outcome_free(&o);
}

static void an_altered_docket_is_named_with_exit_5(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "f=$(ls state/runs/*/000001.docket | head -n 1); printf x >>$f; $O audit verify");
    assert_status(&o, 5);
    assert_contains(o.out, "was altered");
    outcome_free(&o);
    o = shell(s, "rm state/runs/*/000001.docket; $O audit verify");
    assert_status(&o, 5);
    assert_contains(o.out, "is missing");
    outcome_free(&o);
}

static void without_a_ledger_there_is_nothing_to_verify(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "--state", "nowhere", "audit", "verify", NULL);
    assert_status(&o, 6);
    assert_contains(o.err, "there is no ledger there");
    outcome_free(&o);
    o = olvido(s, "--state", "nowhere", "audit", "show", NULL);
    assert_status(&o, 0);
    outcome_free(&o);
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
