/* SPDX-License-Identifier: Apache-2.0 */
/* preview and enforce: what is asked, done, recorded and left alone. */
#include "support/command.h"

#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

static int scratch_setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_scratch_policy(s);
    make_file(s, "tides/scratch/old one.tmp", "12345", 100);
    make_file(s, "tides/scratch/-old", "1", 31);
    make_file(s, "tides/scratch/two\nlines mar\xE9.tmp", "123", 60);
    make_file(s, "tides/scratch/young.tmp", "1", 29);
    make_file(s, "tides/scratch/future.tmp", "1", -10);
    make_file(s, "tides/kept.txt", "not under any rule", 1000);
    return 0;
}

static void preview_counts_and_touches_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "--policy", "policy.yaml", "preview", NULL);
    assert_contains(o.out, "discard after 30 days           3   9 B");
    assert_contains(o.out, "not due yet                     1   1 B");
    assert_contains(o.out, "not due: time not credible");
    assert_contains(o.out, "3 files are due (9 B)");
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
    assert_false(exists(s, "state"));
    assert_false(exists(s, "data"));
}

static void preview_lists_names_that_can_do_no_harm(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "--policy", "policy.yaml", "preview", "--list", NULL);
    char *first, *last;
    assert_status(&o, 0);
    first = strstr(o.out, "old one.tmp");
    last = strstr(o.out, "/-old");
    assert_non_null(first);
    assert_true(first < last); /* oldest first */
    assert_contains(o.out, "two\\nlines mar\\xE9.tmp");
    assert_contains(o.out, " entries, "); /* the total */
    o = olvido(s, "--policy", "policy.yaml", "preview", "--list", "--json", NULL);
    assert_contains(o.out, "\"path_b64\":");
    assert_contains(o.out, "\"act\":\"discard\"");
    assert_int_equal(strncmp(o.out, "{\"path\":", 8), 0);
}

static void preview_asks_about_other_days(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "--policy", "policy.yaml", "preview", "--as-of", "2020-01-01", NULL);
    assert_contains(o.out, "0 files are due");
    o = olvido(s, "--policy", "policy.yaml", "preview", "--as-of", "2999-01-01", "--json", NULL);
    assert_contains(o.out, "\"due_files\":5");
    o = olvido_ends(s, 2, "--policy", "policy.yaml", "preview", "--as-of", "2026-02-30", NULL);
    assert_contains(o.err, "`2026-02-30` is not a date");
}

static void enforce_discards_what_is_due_and_says_how_to_take_it_back(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    char *text;
    assert_status(&o, 0);
    assert_contains(o.out, "Done: 3 discarded (9 B). Run 20");
    assert_contains(o.out, "Take it back: olvido --state");
    assert_int_equal(count_entries(s, "tides/scratch"), 2);
    assert_int_equal(count_entries(s, "data/Trash/files"), 3);
    text = slurp(s, "data/Trash/files/old one.tmp");
    assert_string_equal(text, "12345");
    o = olvido_ends(s, 0, "audit", "verify", NULL);
    assert_contains(o.out,
                    "Sound: 6 lines, 6 of them under the signed checkpoint; 1 docket segment compared.");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "Done: nothing was due.");
}

static void without_a_terminal_nothing_is_discarded_unasked(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 3, "--policy", "policy.yaml", "enforce", NULL);
    assert_contains(o.err, "this needs an answer. Use a terminal or --yes");
    assert_contains(o.out, "3 not allowed, so left undone");
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
}

static void assert_answers(const struct sandbox *s, const char *answers, int status, unsigned left)
{
    struct outcome o = olvido_on_terminal(s, 100, answers, "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, status);
    assert_contains(o.out, "scratch: discard 3 files (9 B, oldest");
    assert_int_equal(count_entries(s, "tides/scratch"), left);
}

static void no_leaves_everything(void **state)
{
    assert_answers(*state, "no\n", 3, 5);
}

static void stop_leaves_everything(void **state)
{
    assert_answers(*state, "stop\n", 3, 5);
}

static void the_end_of_the_input_leaves_everything(void **state)
{
    assert_answers(*state, "", 3, 5);
}

static void ctrl_c_at_the_question_does_nothing_and_says_so(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_on_terminal(s, 100, "\003", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 4);
    assert_contains(o.out, "interrupted; nothing was done");
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
}

static void enter_alone_and_nonsense_are_asked_again(void **state)
{
    assert_answers(*state, "\nmaybe\nn\n", 3, 5);
}

static void yes_discards(void **state)
{
    assert_answers(*state, "y\n", 0, 2);
}

static void list_shows_and_asks_again(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_on_terminal(s, 100, "list\nyes\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 0);
    assert_contains(o.out, "old one.tmp");
}

static void each_asks_for_every_file(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        olvido_on_terminal(s, 100, "each\nyes\nno\nyes\n", "--policy", "policy.yaml", "enforce", NULL);
    assert_status(&o, 3);
    assert_int_equal(count_entries(s, "tides/scratch"), 3);
    assert_contains(o.out, "2 discarded");
    assert_contains(o.out, "1 not allowed, so left undone");
}

static void each_can_be_cut_short_both_ways(void **state)
{
    assert_answers(*state, "each\nno\nrest\n", 3, 3);
}

static void each_can_be_stopped(void **state)
{
    assert_answers(*state, "each\nyes\nstop\n", 3, 4);
}

static void only_the_named_rule_acts(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        olvido_ends(s, 2, "--policy", "policy.yaml", "enforce", "--yes", "--rule", "scrach", NULL);
    assert_contains(o.err, "no rule `scrach`; did you mean `scratch`?");
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--rule", "scratch", "--json", NULL);
    assert_contains(o.out, "\"done\":3,\"done_size\":9,\"told\":0,\"left\":0");
}

static void the_first_rule_that_fits_owns_a_file_also_in_nested_trees(void **state)
{
    const struct sandbox *s = *state;
    char rules[2048];
    struct outcome o;
    make_dir(s, "tides/scratch/deep");
    make_file(s, "tides/scratch/deep/a.tmp", "x", 100);
    make_file(s, "tides/scratch/deep/b.log", "x", 100);
    snprintf(rules, sizeof rules,
             "  - { name: deep-logs, under: %s/tides/scratch/deep, where: 'path = \"b.log\" and depth = 1', "
             "steps: [ { after: 0 days, do: keep } ] }\n"
             "  - { name: all, under: %s/tides, where: 'path like \"scratch/deep/*\" and depth = 3', steps: "
             "[ { after: 1 day, do: discard } ] }\n"
             "  - { name: told, under: %s/tides/scratch, steps: [ { after: 1 day, do: tell } ] }\n",
             s->path, s->path, s->path);
    write_policy(s, "rules:\n", rules, NULL);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_false(exists(s, "tides/scratch/deep/a.tmp"));
    assert_true(exists(s, "tides/scratch/deep/b.log"));
    assert_contains(o.out, "1 discarded (1 B), 4 told");
    assert_contains(o.out, "Told of:");
}

static void links_and_pipes_are_discarded_as_themselves_only_when_named(void **state)
{
    const struct sandbox *s = *state;
    char rules[2048];
    struct stat st;
    assert_int_equal(symlink("../kept.txt", in(s, "tides/scratch/link")), 0);
    set_age(s, "tides/scratch/link", 100);
    snprintf(rules, sizeof rules,
             "  - { name: links, under: %s/tides/scratch, where: 'kind = link', steps: [ { after: 30 days, "
             "do: discard } ] }\n",
             s->path);
    write_policy(s, "rules:\n", rules, NULL);
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_true(exists(s, "tides/kept.txt"));
    assert_int_equal(lstat(in(s, "data/Trash/files/link"), &st), 0);
    assert_true(S_ISLNK(st.st_mode));
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
}

static void own_places_are_never_candidates(void **state)
{
    const struct sandbox *s = *state;
    char rules[2048];
    struct outcome o;
    snprintf(rules, sizeof rules,
             "  - { name: everything, under: %s, steps: [ { after: 0 days, do: discard } ] }\n", s->path);
    write_policy(s, "rules:\n", rules, NULL);
    set_age(s, "policy.yaml", 5);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    set_age(s, "state/version", 5);
    set_age(s, "data/Trash/files/-old", 5);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "nothing was due");
    assert_contains(o.out, "guarded: never touched");
    assert_true(exists(s, "policy.yaml"));
    assert_true(exists(s, "state/version"));
}

static void system_directories_are_guarded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    write_policy(s, "rules:\n",
                 "  - { name: etc, under: /etc, where: 'name = \"passwd\"', steps: [ { after: 0 days, do: "
                 "discard } ] }\n",
                 NULL);
    o = olvido(s, "--policy", "policy.yaml", "preview", NULL);
    assert_contains(o.out, "guarded: never touched");
    assert_contains(o.out, "0 files are due");
}

static void a_missing_place_is_named_and_the_rest_is_done(void **state)
{
    const struct sandbox *s = *state;
    char rules[2048];
    struct outcome o;
    snprintf(rules, sizeof rules,
             "  - { name: a, under: [ %s/tides/gone, %s/tides/scratch ], steps: [ { after: 30 days, do: "
             "discard } ] }\n",
             s->path, s->path);
    write_policy(s, "rules:\n", rules, NULL);
    o = olvido_ends(s, 1, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "tides/gone: looking for it (`under` of a rule): No such file or directory");
    assert_contains(o.out, "3 discarded");
}

static void an_unusable_trash_stops_before_anything_is_touched(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_dir(s, "data");
    make_dir(s, "elsewhere");
    assert_int_equal(symlink("../elsewhere", in(s, "data/Trash")), 0);
    o = olvido_ends(s, 6, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "the trash is a symbolic link");
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
}

static void an_unusable_state_directory_stops_before_anything_is_touched(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    make_dir(s, "real");
    assert_int_equal(symlink("real", in(s, "state")), 0);
    o = olvido_ends(s, 6, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "the state directory is a symbolic link");
    unlink(in(s, "state"));
    make_dir(s, "state");
    chmod(in(s, "state"), 0777);
    o = olvido_ends(s, 6, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "others may write in the state directory");
    chmod(in(s, "state"), 0700);
    overwrite(s, "state/version", "7\n", 2);
    o = olvido_ends(s, 6, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "has version 7");
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
}

static void a_second_run_at_the_same_time_is_refused(void **state)
{
    const struct sandbox *s = *state;
    struct flock lock = {.l_type = F_WRLCK, .l_whence = SEEK_SET};
    struct outcome o;
    int fd;
    mkdir(in(s, "state"), 0700);
    overwrite(s, "state/version", "1\n", 2);
    overwrite(s, "state/lock", "enforce, process 4711\n", 22);
    fd = open(in(s, "state/lock"), O_RDWR);
    assert_int_equal(fcntl(fd, F_SETLK, &lock), 0); /* a process lock excludes a descriptor's lock, too */
    o = olvido_ends(s, 6, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.err, "another run is under way: enforce, process 4711");
    assert_int_equal(count_entries(s, "tides/scratch"), 5);
    close(fd);
}

/* What a policy leaves is no failure. */
static void an_immutable_file_is_left(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    if (geteuid() != 0)
        skip();
    make_dir(s, "tides/scratch/guarded");
    make_file(s, "tides/scratch/guarded/x.tmp", "x", 90);
    o = shell(s, "chattr +i tides/scratch/guarded/x.tmp && $O --policy policy.yaml enforce --yes; status=$?; "
                 "chattr -i tides/scratch/guarded/x.tmp; exit $status");
    if (strstr(o.err, "chattr"))
        skip();
    assert_status(&o, 0);
    assert_contains(o.out, "3 discarded (9 B), 1 left alone (1: it is immutable, and not by Olvido: "
                           "`olvido unprotect --anyway` lifts that)");
    assert_contains(o.out, "What was left: olvido --state ");
    assert_int_equal(count_entries(s, "data/Trash/info"), 3); /* no info file without its item */
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, scratch_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(preview_counts_and_touches_nothing),
        TEST(preview_lists_names_that_can_do_no_harm),
        TEST(preview_asks_about_other_days),
        TEST(enforce_discards_what_is_due_and_says_how_to_take_it_back),
        TEST(without_a_terminal_nothing_is_discarded_unasked),
        TEST(no_leaves_everything),
        TEST(stop_leaves_everything),
        TEST(the_end_of_the_input_leaves_everything),
        TEST(ctrl_c_at_the_question_does_nothing_and_says_so),
        TEST(enter_alone_and_nonsense_are_asked_again),
        TEST(yes_discards),
        TEST(list_shows_and_asks_again),
        TEST(each_asks_for_every_file),
        TEST(each_can_be_cut_short_both_ways),
        TEST(each_can_be_stopped),
        TEST(only_the_named_rule_acts),
        TEST(the_first_rule_that_fits_owns_a_file_also_in_nested_trees),
        TEST(links_and_pipes_are_discarded_as_themselves_only_when_named),
        TEST(own_places_are_never_candidates),
        TEST(system_directories_are_guarded),
        TEST(a_missing_place_is_named_and_the_rest_is_done),
        TEST(an_unusable_trash_stops_before_anything_is_touched),
        TEST(an_unusable_state_directory_stops_before_anything_is_touched),
        TEST(a_second_run_at_the_same_time_is_refused),
        TEST(an_immutable_file_is_left),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
