/* SPDX-License-Identifier: Apache-2.0 */
/* survey, check, demo, help, and the command line itself. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

static int demo_setup(void **state)
{
    struct outcome o;
    if (sandbox_setup(state) < 0)
        return -1;
    o = olvido(*state, "demo", "tides", "--quiet", NULL);
    assert_status(&o, 0);
    return 0;
}

static void the_sample_has_everything_awkward(void **state)
{
    const struct sandbox *s = *state;
    struct stat st, other;
    assert_true(exists(s, "tides/scratch/-begins with a dash.tmp"));
    assert_true(exists(s, "tides/scratch/two\nlines.tmp"));
    assert_true(exists(s, "tides/scratch/latin-1 mar\xE9"
                          "e.tmp"));
    assert_int_equal(count_entries(s, "tides/scratch/empty directory"), 0);
    assert_int_equal(lstat(in(s, "tides/scratch/loop-a"), &st), 0);
    assert_true(S_ISLNK(st.st_mode));
    assert_int_equal(stat(in(s, "tides/scratch/core image.tmp"), &st), 0);
    assert_true(st.st_blocks * 512 < st.st_size);
    assert_int_equal(stat(in(s, "tides/scratch/draft report.txt"), &st), 0);
    assert_int_equal(stat(in(s, "tides/scratch/draft report (same file).txt"), &other), 0);
    assert_int_equal(st.st_ino, other.st_ino);
    assert_true(time(NULL) - st.st_mtime > 80 * 86400);
}

/* docs/commands.md shows each command as `help` does: tools/commands writes it. */
static void the_manual_says_what_help_says(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(s, "$OLVIDO_SOURCE/tools/commands $OLVIDO $PWD/commands.md && diff "
                "$OLVIDO_SOURCE/docs/commands.md commands.md");
}

static void every_command_has_its_help(void **state)
{
    const struct sandbox *s = *state;
    shell_ok(
        s,
        "$O help | sed -n '/^Look$/,/^Options of every/s/^  \\([a-z]*\\) .*/\\1.txt/p' | grep -v '^help' | "
        "sort >commands\n"
        "ls $OLVIDO_SOURCE/src/cli/help | grep -v '^patterns' >texts; diff commands texts");
}

static void the_sample_never_overwrites(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 3, "demo", "tides", NULL);
    assert_contains(o.err, "tides: the directory is not empty");
    o = olvido_ends(s, 1, "demo", "no/such/place", NULL);
    assert_contains(o.err, "no/such/place: cannot make the directory");
}

static void the_policy_of_the_sample_is_sound_and_finds_work(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "check", "tides/policy.yaml", NULL);
    assert_contains(o.out, "sound. \"Faro Norte tide observatory\", 5 rules with 8 steps");
    o = olvido_ends(s, 0, "--policy", "tides/policy.yaml", "enforce", "--yes", "--rule", "timesheets",
                    "--rule", "hydrophone", "--rule", "scratch", NULL);
    assert_contains(o.out, "83 discarded");
    assert_contains(o.out, "\nTake it back: olvido ");
    assert_true(exists(s, "tides/scratch/keep me (read-only).tmp"));
    assert_true(exists(s, "tides/scratch/from the future.tmp"));
    o = olvido_ends(s, 0, "recover", "tides", NULL);
    assert_contains(o.out, "83 recovered");
    o = olvido(s, "survey", "tides", NULL);
    assert_contains(o.out, "434 entries");
}

/* An archive holds a calendar year: how many there are is a matter of the month. */
static unsigned years_of_the_archived(const struct sandbox *s)
{
    struct outcome o =
        shell(s, "ls tides/readings/gauge-1 | sed '1,12d' | head -n 72 | cut -c1-4 | uniq | wc -l");
    unsigned years = (unsigned)atoi(o.out);
    assert_in_range(years, 6, 7);
    return years;
}

static void readings_of_the_sample_have_a_life_in_steps(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    char entries[32];
    ON_LINUX_ONLY(); /* elsewhere nothing tells that a file is not open, so none is deleted */
    snprintf(entries, sizeof entries, "%u entries", 434 - 24 + years_of_the_archived(s));
    o = olvido_ends(s, 0, "--policy", "tides/policy.yaml", "enforce", "--yes", "--rule", "gauge-readings",
                    "--count", "24", NULL);
    assert_contains(o.out, "18 compressed");
    assert_contains(o.out, "144 archived");
    assert_contains(o.out, "24 deleted");
    assert_contains(o.out, "What was deleted is gone; take the rest back: olvido ");
    assert_contains(o.out, "Undo compressing: olvido decompress");
    o = olvido_ends(s, 0, "recover", "tides", NULL);
    assert_contains(o.out, "144 recovered");
    o = olvido(s, "survey", "tides", NULL);
    assert_contains(o.out, entries); /* without what was deleted, and with the archives */
}

static void survey_shows_bands_lists_and_json(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 0, "survey", "tides", "tides/scratch", NULL);
    assert_contains(o.out, "434 entries"); /* what is below another PATH counts once */
    assert_contains(o.out, "odd times              1");
    o = olvido(s, "survey", "tides", "--list", "--kind", "link", NULL);
    assert_contains(o.out, "loop-a");
    assert_contains(o.out, "3 entries");
    o = olvido(s, "survey", "tides", "--json", "--older-than", "5 years", NULL);
    assert_contains(o.out, "{\"entries\":");
    assert_contains(o.out, "\"unreadable\":0");
    o = olvido(s, "survey", "--list", "--json", "tides/office/permits", NULL);
    assert_contains(o.out, "\"kind\":\"file\",\"size\":");
}

static void survey_sorts_limits_and_filters(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "$O survey tides --sort size --limit 2 --json | sed 's/.*\"size\":\\([0-9]*\\).*/\\1/'; echo; "
           "$O survey tides --sort -size --limit 1 --format '{bytes}'; $O survey tides --sort path --limit 1 "
           "--format '{name}'; $O survey tides --sort -path --limit 1 --format '{name}'");
    unsigned long long first, second, least;
    char low[300], high[300];
    assert_status(&o, 0);
    assert_int_equal(sscanf(o.out, "%llu %llu %llu %299[^\n]\n%299[^\n]", &first, &second, &least, low, high),
                     5);
    assert_true(first >= second && second > least && strcmp(low, high) != 0);
    o = olvido_ends(s, 0, "survey", "tides", "--where", "suffix = \"pcm\" and size > 90 kB", "--format",
                    "{kind} {bytes}", NULL);
    assert_contains(o.out, "file 9");
    assert_lacks(o.out, "file 1 ");
    o = olvido(s, "survey", "tides", "--where", "kind = directory and depth = 1", "--format", "{name}", NULL);
    assert_contains(o.out, "scratch\n");
    assert_lacks(o.out, "gauge-1");
    o = olvido_ends(s, 2, "survey", "tides", "--where", "siz > 3", NULL);
    assert_contains(o.err, "did you mean `size`?");
    o = olvido_ends(s, 2, "survey", "tides", "--sort", "sise", NULL);
    assert_contains(o.err, "did you mean `size`?");
}

static void survey_writes_lines_of_ones_own(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "mkdir own; printf 12345 >own/a.txt; chmod 640 own/a.txt; touch -d '3 days ago' own/a.txt; "
                 "$O survey own --format '{{{name}}}\\t{bytes} {mode} {days} {kind} {links}\\\\'; "
                 "$O survey own --format '{path}\\0' | od -An -c | tail -n 1");
    assert_status(&o, 0);
    assert_contains(o.out, "{a.txt}}\t5 0640 3 file 1\\\n");
    assert_contains(o.out, "\\0");
    o = olvido_ends(s, 2, "survey", "tides", "--format", "{nmae}", NULL);
    assert_contains(o.err, "there is no field {nmae}; did you mean {name}?");
    o = olvido_ends(s, 2, "survey", "tides", "--format", "{name", NULL);
    assert_contains(o.err, "a brace is not closed");
    o = olvido_ends(s, 2, "survey", "tides", "--format", "\\q", NULL);
}

static void survey_goes_by_any_clock_and_shows_minutes(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        olvido_ends(s, 0, "survey", "tides", "--clock", "changed", "--newer-than", "30 minutes", NULL);
    assert_contains(o.out, "under 1 minute");
    assert_contains(o.out, "changed from ");
    o = olvido(s, "survey", "tides", "--clock", "changed", "--older-than", "1 day", "--json", NULL);
    assert_contains(o.out, "\"entries\":0,");
    o = olvido(s, "survey", "tides", NULL);
    assert_contains(o.out, "Largest");
    assert_contains(o.out, "Oldest");
    assert_contains(o.out, "Owner");
}

static void survey_names_what_it_cannot_read(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 1, "survey", "tides/office", "tides/none", "tides/policy.yaml", NULL);
    assert_contains(o.err, "tides/none: looking for it: No such file or directory");
    assert_contains(o.err, "tides/policy.yaml: it is not a directory");
    assert_contains(o.err, "2 places could not be read");
    assert_contains(o.out, "104 entries");
}

static void survey_tells_of_file_systems_that_it_does_not_enter(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip();
    o = shell(s, "mkdir tides/far && mount -t tmpfs tmpfs tides/far && touch tides/far/x && "
                 "{ $O survey tides; $O --verbose survey tides --json; umount tides/far; }");
    assert_status(&o, 0);
    assert_contains(o.out, "434 entries");
    assert_contains(o.out, "1 other file system begins below and was not entered");
    assert_contains(o.out, "\"other_file_systems\":1");
    assert_contains(o.err, "tides/far: another file system begins here");
}

static void survey_refuses_nonsense(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 2, "survey", "--older-than", "soon", NULL);
    assert_contains(o.err, "`soon` is not a duration");
    o = olvido_ends(s, 2, "survey", "--kind", "flie", NULL);
    assert_contains(o.err, "did you mean `file`?");
}

static void check_shows_the_line_with_a_mark_under_the_place(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    overwrite(s, "wrong.yaml",
              "olvido: 1\nrules:\n  - name: a\n    under: /x\n    steps: [ { after: 30 dais, do: tell } ]\n",
              86);
    o = olvido_ends(s, 2, "check", "wrong.yaml", NULL);
    assert_contains(o.err, "wrong.yaml:5:23: `30 dais` is not a duration\n"
                           "      5 |     steps: [ { after: 30 dais, do: tell } ]\n"
                           "        |                       ^^^^^^^\n"
                           "          expected: a duration");
    o = olvido_ends(s, 2, "check", "wrong.yaml", "--json", NULL);
    assert_contains(o.out, "\"line\":5,\"column\":23,");
    o = olvido_ends(s, 2, "check", "missing.yaml", NULL);
    assert_contains(o.err, "missing.yaml: cannot open the policy: No such file or directory");
}

static void a_missing_default_policy_says_what_to_do(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() == 0)
        skip(); /* root's is /etc/olvido/policy.yaml, which this machine may have */
    o = olvido_ends(s, 2, "preview", NULL);
    assert_contains(o.err, "--policy FILE");
}

static void mistyped_words_are_met_with_the_nearest(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 2, "prevew", NULL);
    assert_contains(o.err, "there is no command `prevew`; did you mean `preview`?");
    o = olvido_ends(s, 2, "survey", "--lits", NULL);
    assert_contains(o.err, "there is no option --lits here; did you mean --list?");
    o = olvido_ends(s, 2, "survey", "--older-than", NULL);
    assert_contains(o.err, "needs a value");
    o = olvido_ends(s, 2, "preview", "what", NULL);
    assert_contains(o.err, "does not know what to do with `what`");
    o = olvido_ends(s, 2, "trash", NULL);
    assert_contains(o.err, "`trash` needs show");
    o = olvido_ends(s, 2, "audit", "shove", NULL);
    assert_contains(o.err, "`audit` can `show` and `verify`, not `shove`");
    o = olvido_ends(s, 2, "audit", "show", "verify", NULL);
    assert_contains(o.err, "does not know what to do with `verify`");
}

/* Every word that a ledger line may have can be asked for. */
static void every_result_can_be_asked_for(void **state)
{
    static const char *const results[] = {"done",    "told",     "left",        "refused", "failed",
                                          "unknown", "finished", "interrupted", "settled"};
    const struct sandbox *s = *state;
    struct outcome o = olvido_ends(s, 2, "audit", "show", "--result", "setled", NULL);
    assert_contains(o.err, "the ledger has no result `setled`; did you mean `settled`?");
    for (size_t i = 0; i < sizeof results / sizeof *results; i++)
        o = olvido_ends(s, 0, "audit", "show", "--result", results[i], NULL);
    assert_contains(o.err, "there is no ledger yet");
}

static void every_command_has_help(void **state)
{
    static const char *const commands[] = {"survey", "check", "preview", "enforce", "recover",
                                           "trash",  "audit", "demo",    "help"};
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof commands / sizeof *commands; i++) {
        struct outcome help = olvido_ends(s, 0, "help", commands[i], NULL),
                       option = olvido(s, commands[i], "--help", NULL);
        assert_contains(help.out, "Usage: olvido ");
        if (strcmp(commands[i], "help") != 0)
            assert_string_equal(help.out, option.out);
    }
}

static void output_that_is_lost_is_a_failure(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(s, "$O survey tides >/dev/full");
    assert_status(&o, 1);
    assert_contains(o.err, "cannot write to standard output: No space left on device");
    o = shell(s, "$O survey tides >&-");
    assert_status(&o, 1);
    assert_contains(o.err, "cannot write to standard output");
    o = shell(s, "mkdir many; seq -f many/gauge-%g.csv 3000 | xargs touch; "
                 "($O survey many --list; echo status $? >&2) | head -n 1");
    assert_string_equal(o.err, "status 1\n"); /* the reader has seen enough: no message */
    o = shell(s, "$O --policy tides/policy.yaml enforce --yes >&- ; test $? = 1 && $O audit verify");
    assert_status(&o, 0); /* the work and its record do not depend on readers */
}

static void a_narrow_terminal_is_respected(void **state)
{
    const struct sandbox *s = *state;
    static const unsigned widths[] = {20, 40, 79, 200};
    for (size_t i = 0; i < sizeof widths / sizeof *widths; i++) {
        struct outcome o = olvido_on_terminal(s, widths[i], "", "survey", "--list", "tides/scratch", NULL);
        assert_status(&o, 0);
        assert_contains(o.out, "Modified");
        o = olvido_on_terminal(s, widths[i], "no\nno\nno\nno\n", "--policy", "tides/policy.yaml", "enforce",
                               NULL);
        assert_status(&o, 3);
        assert_contains(o.out, "not allowed, so left undone");
    }
}

static void colour_never_reaches_a_file(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = olvido(s, "survey", "tides", NULL);
    assert_lacks(o.out, "\033");
    o = olvido(s, "--colour", "always", "survey", "tides", NULL);
    assert_contains(o.out, "\033[");
    o = olvido_ends(s, 2, "--colour", "sometimes", "survey", "tides", NULL);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, demo_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(the_sample_has_everything_awkward),
        TEST(the_manual_says_what_help_says),
        TEST(every_command_has_its_help),
        TEST(the_sample_never_overwrites),
        TEST(the_policy_of_the_sample_is_sound_and_finds_work),
        TEST(readings_of_the_sample_have_a_life_in_steps),
        TEST(survey_shows_bands_lists_and_json),
        TEST(survey_sorts_limits_and_filters),
        TEST(survey_writes_lines_of_ones_own),
        TEST(survey_goes_by_any_clock_and_shows_minutes),
        TEST(survey_names_what_it_cannot_read),
        TEST(survey_tells_of_file_systems_that_it_does_not_enter),
        TEST(survey_refuses_nonsense),
        TEST(check_shows_the_line_with_a_mark_under_the_place),
        TEST(a_missing_default_policy_says_what_to_do),
        TEST(mistyped_words_are_met_with_the_nearest),
        TEST(every_result_can_be_asked_for),
        TEST(every_command_has_help),
        TEST(output_that_is_lost_is_a_failure),
        TEST(a_narrow_terminal_is_respected),
        TEST(colour_never_reaches_a_file),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
