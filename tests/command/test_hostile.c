/* SPDX-License-Identifier: Apache-2.0 */
/* Somebody works against us: while `enforce` runs as root, another user's process swaps files for other files
 * and directories for links, a hundred thousand times. Only what was judged may go: old baits. Young files,
 * and what links lead to, stay. */
#include "support/command.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

enum { SWAPS = 40000, NOBODY = 65534, FILES = 8 };

/* ---- the other side ---- */

static void write_file(int dir, const char *name, const char *text, int days)
{
    struct timespec times[2] = {{.tv_sec = time(NULL) - days * 86400L},
                                {.tv_sec = time(NULL) - days * 86400L}};
    int fd = openat(dir, name, O_WRONLY | O_CREAT | O_TRUNC | O_NOFOLLOW, 0644);
    if (fd < 0)
        return;
    if (write(fd, text, strlen(text)) < 0)
        return;
    futimens(fd, times);
    close(fd);
}

static void lay_baits(int dir)
{
    char name[32];
    for (int i = 0; i < FILES; i++) {
        snprintf(name, sizeof name, "bait-%d.tmp", i);
        if (faccessat(dir, name, F_OK, AT_SYMLINK_NOFOLLOW) < 0)
            write_file(dir, name, "bait", 100);
    }
}

/* One round: a young file takes an old one's name and gives it back; then a link takes that of the directory;
 * then another directory with young files of the same names. Each rename is a swap. */
static unsigned swap_round(int public, unsigned round)
{
    char name[32];
    int d = openat(public, "d", O_RDONLY | O_DIRECTORY | O_NOFOLLOW);
    unsigned swaps = 0;
    snprintf(name, sizeof name, "bait-%u.tmp", round % FILES);
    if (d >= 0) {
        write_file(d, "young", "yung", 1); /* of the same size, but too young to be due under any name */
        swaps += renameat(d, name, d, "aside") == 0;
        swaps += renameat(d, "young", d, name) == 0;
        swaps += renameat(d, name, d, "young") == 0;
        swaps += renameat(d, "aside", d, name) == 0;
        close(d);
    }
    swaps += renameat(public, "d", public, "hidden") == 0;
    swaps += symlinkat("../precious", public, "d") == 0;
    unlinkat(public, "d", 0);
    swaps += renameat(public, "other", public, "d") == 0;
    swaps += renameat(public, "d", public, "other") == 0;
    swaps += renameat(public, "hidden", public, "d") == 0;
    if (round % 16 == 0 && (d = openat(public, "d", O_RDONLY | O_DIRECTORY | O_NOFOLLOW)) >= 0) {
        lay_baits(d);
        close(d);
    }
    return swaps;
}

static void be_hostile(const struct sandbox *s)
{
    unsigned swaps = 0;
    int public = open(in(s, "public"), O_RDONLY | O_DIRECTORY);
    if (public < 0 || setgid(NOBODY) < 0 || setuid(NOBODY) < 0)
        _exit(1);
    for (unsigned round = 0; swaps < SWAPS; round++) {
        unsigned done = swap_round(public, round);
        if (done == 0) /* the test has failed, and its sandbox is gone */
            _exit(1);
        swaps += done;
    }
    _exit(0);
}

/* ---- our side ---- */

/* Precious files have the names and age of the baits; those in `other` are young. */
static void prepare(const struct sandbox *s, int mode)
{
    char name[64];
    static const char *const directories[] = {"public", "public/d", "public/other", "precious"};
    for (size_t i = 0; i < 4; i++) {
        make_dir(s, directories[i]);
        if (i < 3) {
            assert_int_equal(chown(in(s, directories[i]), NOBODY, NOBODY), 0);
            assert_int_equal(chmod(in(s, directories[i]), (mode_t)mode), 0);
        }
    }
    assert_int_equal(chmod(s->path, 0755), 0);
    for (int i = 0; i < FILES; i++) {
        snprintf(name, sizeof name, "public/d/bait-%d.tmp", i);
        make_file(s, name, "bait", 100);
        assert_int_equal(chown(in(s, name), NOBODY, NOBODY), 0);
        snprintf(name, sizeof name, "public/other/bait-%d.tmp", i);
        make_file(s, name, "yung", 1);
        snprintf(name, sizeof name, "precious/bait-%d.tmp", i);
        make_file(s, name, "precious", 100);
    }
    write_policy(s,
                 "rules: [ { name: baits, under: @/public, where: 'name like \"bait*.tmp\"', steps: "
                 "[ { after: 30 days, do: "
                 "discard } ] } ]\n",
                 NULL);
}

static void assert_nothing_was_lost(const struct sandbox *s)
{
    struct outcome o = shell(s, "cat precious/* | tr -d '\n'; echo; ls precious | wc -l; "
                                "cat data/Trash/files/* 2>/dev/null | sed 's/bait//g' | tr -d '\n' | wc -c; "
                                "ls public/other | wc -l; $O audit verify >/dev/null && echo sound; "
                                "grep -LE 'Path=.*/public/(d|hidden)/bait' data/Trash/info/* | wc -l");
    char expected[200] = "";
    for (int i = 0; i < FILES; i++)
        strcat(expected, "precious");
    strcat(expected, "\n8\n0\n8\nsound\n0\n");
    assert_string_equal(o.out, expected);
}

/* How many baits a run claims to have discarded. */
static unsigned discard_baits(const struct sandbox *s)
{
    struct outcome o = olvido(s, "--policy", "policy.yaml", "--json", "enforce", "--yes", NULL);
    const char *done = strstr(o.out, "\"done\":");
    unsigned discarded;
    if ((o.status != 0 && o.status != 1) || !done)
        fail_msg("status %d\n%s%s", o.status, o.out, o.err);
    discarded = (unsigned)atoi(done + 7);
    return discarded;
}

static void fight(const struct sandbox *s, int mode)
{
    unsigned runs = 0, discarded = 0;
    int status = 0;
    pid_t child;
    if (geteuid() != 0)
        skip();
    prepare(s, mode);
    child = fork();
    if (child == 0)
        be_hostile(s);
    for (; waitpid(child, &status, WNOHANG) == 0; runs++)
        discarded += discard_baits(s);
    assert_int_equal(status, 0);
    assert_true(runs > 1);
    print_message("%u runs, %u baits discarded\n", runs, discarded);
    discarded += discard_baits(s); /* undisturbed */
    assert_true(discarded > 0);
    assert_int_equal(count_entries(s, "data/Trash/files"), discarded); /* each that it claims, and no other */
    assert_nothing_was_lost(s);
}

static void in_a_directory_of_the_other(void **state)
{
    fight(*state, 0755);
}

static void in_a_directory_of_everybody(void **state)
{
    fight(*state, 0777);
}

static void in_a_sticky_directory(void **state)
{
    fight(*state, 01777);
}

/* ---- a source that is removed, where others may write ---- */

/* Right when the original is about to be taken aside, somebody puts another file in its place. */
static void another_file_takes_its_name(const struct sandbox *s, const char *command)
{
    char script[900];
    struct outcome o;
    ON_LINUX_ONLY();
    snprintf(script, sizeof script,
             "mkdir -m 0777 open; seq 9000 >open/gauge.csv; cp open/gauge.csv same; " STOPPED_AT(
                 "renameat2", "gauge.csv", "1") "'mv open/gauge.csv open/hidden; echo theirs "
                                                ">open/gauge.csv' -- $O %s; echo =$?; cat open/gauge.csv; "
                                                "cmp open/hidden same && ls -A open",
             command);
    o = shell(s, script);
    assert_contains(o.out, "another file took its name");
    assert_contains(o.out, "=3\ntheirs\ngauge.csv\nhidden\n"); /* named, and left */
}

static void what_is_compressed_is_what_was_judged(void **state)
{
    another_file_takes_its_name(*state, "compress open/gauge.csv");
}

static void what_is_archived_is_what_was_judged(void **state)
{
    another_file_takes_its_name(*state, "archive open/gauge.csv --to x.tar.zst");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(in_a_directory_of_the_other),
        TEST(in_a_directory_of_everybody),
        TEST(in_a_sticky_directory),
        TEST(what_is_compressed_is_what_was_judged),
        TEST(what_is_archived_is_what_was_judged),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
