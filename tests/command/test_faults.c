/* SPDX-License-Identifier: Apache-2.0 */
/* A small run, cut short or disturbed at every single system call that matters: whatever happens, each file
 * is either where it was or whole in the trash, the next run completes the record, and the ledger verifies.
 */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Everything for one attempt is made afresh by the script: three old files, an empty state. */
static const char ATTEMPT[] =
    "set -u; export ASAN_OPTIONS=detect_leaks=0:abort_on_error=0\n"
    "fresh() { rm -rf state data tides; mkdir -p tides/scratch; for f in a b c; do echo $f$f "
    ">tides/scratch/$f.tmp; done; "
    "touch -d '100 days ago' tides/scratch/*; }\n"
    "fail() { echo \"FAULT $1: $2\"; cat out err; exit 1; }\n"
    /* every file once, with its own bytes */
    "whole() { for f in a b c; do k=0; for at in tides/scratch/$f.tmp data/Trash/files/$f.tmp*; do "
    "[ -e \"$at\" ] && { k=$((k+1)); [ \"$(cat \"$at\")\" = $f$f ] || fail \"$1\" \"$at is not whole\"; }; "
    "done; "
    "[ $k = 1 ] || fail \"$1\" \"$f is there $k times\"; done; }\n"
    "sound() { [ -e state/ledger/checkpoint ] || return 0; $O audit verify >out 2>err; s=$?; [ $s = 0 ] || "
    "fail \"$1\" \"verify says $s\"; }\n"
    "settle() { $O --policy policy.yaml enforce --yes >out 2>err; s=$?; [ $s = 0 ] || fail \"$1\" \"the next "
    "run says $s\"; "
    "[ -e state/runs/open ] && fail \"$1\" 'a run is still open'; "
    "[ $(ls tides/scratch | wc -l) = 0 ] || fail \"$1\" 'something is left'; "
    "[ $(ls data/Trash/info | wc -l) = 3 ] || fail \"$1\" \"$(ls data/Trash/info | wc -l) info files\"; "
    "for f in data/Trash/info/*; do grep -q '^Path=/.*scratch' $f || fail \"$1\" \"$f is torn\"; done; "
    "$O audit verify >out 2>err || fail \"$1\" 'not sound in the end'; "
    "k=$($O audit show --json | grep -c '\"act\":\"discard\",\"result\":\"done\"'); [ $k = 3 ] || fail "
    "\"$1\" \"$k done in the ledger\"; "
    "$O recover tides >out 2>err || fail \"$1\" 'cannot be recovered'; [ $(ls tides/scratch | wc -l) = 3 ] "
    "|| fail \"$1\" 'recovered too few'; }\n";

static void run_script(const struct sandbox *s, const char *script)
{
    shell_staged(s, ATTEMPT, script);
}

static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    make_scratch_policy(*state);
    return 0;
}

/* Kills the run at the first, second, third... call of this kind until one gets through. */
static void kill_at_every(const struct sandbox *s, const char *call)
{
    char script[1200];
    snprintf(script, sizeof script,
             "n=0; while :; do n=$((n+5*${STRIDE:-1})); fresh; strace -f -qq -o /dev/null -e "
             "inject=%s:signal=SIGKILL:when=$n $O "
             "--policy policy.yaml enforce --yes >out 2>err; s=$?; w=\"kill at %s $n\"; whole \"$w\"; "
             "[ $s = 0 ] && break; [ $s = 137 ] || fail \"$w\" \"status $s\"; sound \"$w\"; settle \"$w\"; "
             "done; [ $n -gt 1 ]",
             call, call);
    run_script(s, script);
}

static void a_run_may_be_killed_at_every_sync(void **state)
{
    kill_at_every(*state, "fsync");
}

static void a_run_may_be_killed_at_every_rename(void **state)
{
    kill_at_every(*state, "renameat," MOVING_CALL);
}

static void a_run_may_be_killed_at_every_unlink(void **state)
{
    kill_at_every(*state, "unlinkat");
}

static void a_run_may_be_killed_at_every_write(void **state)
{
    kill_at_every(*state, "write");
    kill_at_every(*state, "pwrite64");
}

static void a_run_may_be_killed_at_every_directory_made(void **state)
{
    kill_at_every(*state, "mkdirat");
}

/* Makes every call of this kind fail once, one after the other: the run may fail, but nothing may be lost,
 * and it must end by itself with a status that says so. */
static void fail_every(const struct sandbox *s, const char *call, const char *error)
{
    char script[1600];
    snprintf(
        script, sizeof script,
        /* what the loader does before the program begins is not ours */
        "n=$(strace -qq -e trace=%s $O --version 2>&1 >/dev/null | grep -c '(' ); while [ $n -lt 400 ]; do "
        "n=$((n+5*${STRIDE:-1})); fresh; strace -f -qq -o trace -e trace=%s -e inject=%s:error=%s:when=$n $O "
        "--policy policy.yaml enforce --yes >out 2>err; s=$?; w=\"%s %s $n\"; whole \"$w\"; "
        "[ $s -lt 10 ] || fail \"$w\" \"status $s\"; grep -q INJECTED trace || break; "
        "[ $s != 0 ] || [ $(ls tides/scratch | wc -l) = 0 ] || fail \"$w\" 'says that all is well'; "
        "[ $s = 0 ] || [ -s err ] || fail \"$w\" 'fails in silence'; sound \"$w\"; settle \"$w\"; done",
        call, call, call, error, call, error);
    run_script(s, script);
}

static void every_rename_may_fail(void **state)
{
    fail_every(*state, MOVING_CALL, "EIO");
    fail_every(*state, "renameat", "ENOSPC");
}

static void every_sync_may_fail(void **state)
{
    fail_every(*state, "fsync", "EIO");
}

static void every_write_may_fail_or_be_interrupted(void **state)
{
    fail_every(*state, "pwrite64", "ENOSPC");
    fail_every(*state, "write", "EINTR");
}

static void every_directory_made_may_fail(void **state)
{
    fail_every(*state, "mkdirat", "ENOSPC");
}

static void every_reach_may_fail(void **state)
{
    fail_every(*state, "openat2", "EMFILE");
}

static void memory_may_run_out_everywhere(void **state)
{
    if (getenv("STRIDE")) /* set for builds with a sanitizer, whose own memory may not run out */
        skip();
    fail_every(*state, "mmap", "ENOMEM");
}

static void every_open_may_fail(void **state)
{
    fail_every(*state, "openat", "EMFILE");
}

static void every_look_may_fail(void **state)
{
    fail_every(*state, "statx", "EIO");
}

static void every_read_of_a_directory_may_fail(void **state)
{
    fail_every(*state, "getdents64", "EIO");
}

/* So many files, all of one name, that most info files are made ahead of their turn: a kill leaves some
 * without an item, and the next run takes them away or uses the names. */
static void a_run_that_prepares_ahead_may_be_killed(void **state)
{
    static const char *const calls[] = {"openat", "write", MOVING_CALL};
    char script[1600];
    for (size_t i = 0; i < sizeof calls / sizeof *calls; i++) {
        snprintf(
            script, sizeof script,
            "many() { rm -rf state data tides; mkdir -p tides/scratch; for d in $(seq 150); do mkdir "
            "tides/scratch/$d; "
            "echo $d >tides/scratch/$d/same.tmp; done; touch -d '100 days ago' tides/scratch/*/same.tmp; }\n"
            "for n in 90 150 170 215 260 301; do many; strace -f -qq -o /dev/null -e "
            "inject=%s:signal=SIGKILL:when=$n $O --policy policy.yaml enforce --yes >out 2>err; w=\"%s $n\"; "
            "$O --policy policy.yaml enforce --yes >out 2>err || fail \"$w\" 'the next run fails'; "
            "[ $(ls data/Trash/files | wc -l) = 150 ] || fail \"$w\" 'files'; "
            "[ $(ls data/Trash/info | wc -l) = 150 ] || fail \"$w\" 'info files'; "
            "[ \"$(cat data/Trash/files/* | sort -n | uniq | wc -l)\" = 150 ] || fail \"$w\" 'not whole'; "
            "$O recover tides >out 2>err || fail \"$w\" 'cannot be recovered'; for d in $(seq 150); do "
            "[ \"$(cat tides/scratch/$d/same.tmp)\" = $d ] || fail \"$w\" \"$d is not what it was\"; done; "
            "$O audit verify >out 2>err || fail \"$w\" 'not sound'; done",
            calls[i], calls[i]);
        run_script(*state, script);
    }
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(int count, char **words)
{
    const struct CMUnitTest tests[] = {
        TEST(a_run_may_be_killed_at_every_sync),
        TEST(a_run_may_be_killed_at_every_rename),
        TEST(a_run_may_be_killed_at_every_unlink),
        TEST(a_run_may_be_killed_at_every_write),
        TEST(a_run_may_be_killed_at_every_directory_made),
        TEST(a_run_that_prepares_ahead_may_be_killed),
        TEST(every_rename_may_fail),
        TEST(every_sync_may_fail),
        TEST(every_write_may_fail_or_be_interrupted),
        TEST(every_directory_made_may_fail),
        TEST(every_reach_may_fail),
        TEST(memory_may_run_out_everywhere),
        TEST(every_open_may_fail),
        TEST(every_look_may_fail),
        TEST(every_read_of_a_directory_may_fail),
    };
    if (count > 1)
        cmocka_set_test_filter(words[1]); /* one alone, while looking for a fault */
    return cmocka_run_group_tests(tests, NULL, NULL);
}
