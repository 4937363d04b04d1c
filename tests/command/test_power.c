/* SPDX-License-Identifier: Apache-2.0 */
/* The power goes: everything is on an ext4 image, and what is on it at that moment, without what was only in
 * memory, is mounted again and settled. Every file must exist once and whole, the record be complete, and
 * everything be recoverable. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* A cut is a copy of the image while it is mounted: it has what was synced, and the next mount replays its
 * journal. */
static const char STAGE[] =
    "set -u; export ASAN_OPTIONS=detect_leaks=0:abort_on_error=0 XDG_DATA_HOME=$PWD/disk/data\n"
    "O=\"$OLVIDO --state $PWD/disk/state --policy $PWD/power.yaml\"\n"
    "mkdir memory disk; mount -t tmpfs -o size=200m tmpfs memory; truncate -s 16M memory/empty\n"
    "mkfs.ext4 -q -J size=4 -E lazy_itable_init=0,lazy_journal_init=0 memory/empty\n"
    "trap 'umount -l disk 2>/dev/null; umount -l memory' EXIT\n"
    "away() { for i in $(seq 50); do umount disk 2>busy && return; sleep 0.1; done; cat busy; exit 1; }\n"
    "fail() { echo \"CUT $1: $2\"; cat out err; $O audit show --json; ls -lR disk/data disk/tides; exit 1; "
    "}\n"
    "fresh() { rm -f memory/image; cp memory/empty memory/image; mount -o loop memory/image disk; mkdir -m "
    "700 disk/state "
    "disk/data; "
    "mkdir -p disk/tides/scratch; for f in a b c; do echo $f$f >disk/tides/scratch/$f.tmp; done; "
    "touch -d '100 days ago' disk/tides/scratch/*; sync -f disk; }\n"
    "cut() { cp memory/image memory/cut; away; mv memory/cut memory/image; mount -o loop memory/image "
    "disk; }\n"
    "whole() { for f in a b c; do k=0; for at in disk/tides/scratch/$f.tmp disk/data/Trash/files/$f.tmp*; do "
    "[ -e \"$at\" ] && { k=$((k+1)); [ \"$(cat \"$at\")\" = $f$f ] || fail \"$1\" \"$at is not whole\"; }; "
    "done; "
    "[ $k = 1 ] || fail \"$1\" \"$f is there $k times\"; done; }\n"
    "complete() { [ -e disk/state/runs/open ] && fail \"$1\" 'a run is still open'; "
    "[ $(ls disk/tides/scratch | wc -l) = 0 ] || fail \"$1\" 'something is left'; "
    "[ $(ls disk/data/Trash/info | wc -l) = 3 ] || fail \"$1\" 'info files'; "
    "for f in disk/data/Trash/info/*; do grep -q '^Path=/.*scratch' $f || fail \"$1\" \"$f is torn\"; done; "
    "$O audit verify >out 2>err || fail \"$1\" 'not sound'; "
    "k=$($O audit show --json | grep -c '\"act\":\"discard\",\"result\":\"done\"'); [ $k = 3 ] || fail "
    "\"$1\" "
    "\"$k done in the ledger\"; $O recover disk/tides >out 2>err || fail \"$1\" 'cannot be recovered'; "
    "[ $(ls disk/tides/scratch | wc -l) = 3 ] || fail \"$1\" 'recovered too few'; away; }\n";

static int setup(void **state)
{
    const struct sandbox *s;
    char text[500];
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    snprintf(
        text, sizeof text,
        "olvido: 1\nlimits: { files: 100 }\nrules:\n  - name: scratch\n    under: %s/disk/tides/scratch\n"
        "    steps: [ { after: 30 days, do: discard } ]\n",
        s->path);
    overwrite(s, "power.yaml", text, strlen(text));
    return 0;
}

static void run_script(const struct sandbox *s, const char *script)
{
    shell_staged(s, STAGE, script);
}

/* Three batches, up to two of them without outcomes at that moment. */
static void cut_a_long_run(void **state, const char *script)
{
    static const char LONG[] =
        "truncate -s 100M memory/empty; mkfs.ext4 -q -F -J size=8 -E lazy_itable_init=0,lazy_journal_init=0 "
        "-N "
        "25000 memory/empty; sed -i 's/files: 100/files: 10000/' power.yaml\n"
        "fresh() { rm -f memory/image; cp memory/empty memory/image; mount -o loop memory/image disk; "
        "mkdir -m 700 disk/state disk/data; mkdir -p disk/tides/scratch; (cd disk/tides/scratch; seq -f "
        "gauge-%g.tmp 8300 | xargs touch -d '100 days ago'); sync -f disk; }\n"
        "kill_at() { fresh; strace -f -qq -o /dev/null -e trace=$1,fsync,syncfs,sync ${slow:-} -e "
        "inject=$1:signal=SIGKILL:when=$2 $O "
        "enforce --yes "
        ">out 2>err; s=$?; w=\"$1 $2\"; [ $s = 137 ] || [ $s = 0 ] || fail \"$w\" \"status $s\"; }\n"
        "next_run() { k=$(ls disk/tides/scratch disk/data/Trash/files 2>/dev/null | grep -c gauge); "
        "[ $k = 8300 ] || fail \"$w\" \"$k files\"; $O enforce --yes >out 2>err || fail \"$w\" 'the next run "
        "failed'; [ -e disk/state/runs/open ] && fail \"$w\" 'a run is still open'; }\n"
        "complete() { [ $(ls disk/data/Trash/files | wc -l) = 8300 ] || fail \"$w\" 'something is left'; "
        "[ $(grep -l '^Path=/.*scratch/gauge' -r disk/data/Trash/info | wc -l) = 8300 ] || fail \"$w\" "
        "'torn'; "
        "$O audit show --json | grep '\"result\":\"done\"' | grep -o 'gauge-[0-9]*[.]tmp\",\"trash' | sort | "
        "uniq -c >told; [ $(wc -l <told) = 8300 ] || fail \"$w\" \"$(wc -l <told) told\"; "
        "grep -qv '^ *1 ' told && fail \"$w\" 'told twice'; "
        "$O audit verify >out 2>err || fail \"$w\" 'not sound'; $O recover disk/tides >out 2>err || fail "
        "\"$w\" "
        "'cannot be recovered'; [ $(ls disk/tides/scratch | wc -l) = 8300 ] || fail \"$w\" 'recovered too "
        "few'; away; }\n";
    char text[sizeof LONG + 500];
    if (geteuid() != 0)
        skip();
    snprintf(text, sizeof text, "%s%s", LONG, script);
    run_script(*state, text);
}

/* Where each move is announced, there are thousands of them: then the steps become longer. */
static void the_power_may_go_between_batches(void **state)
{
    cut_a_long_run(state, "n=5; while :; do n=$((n+3*${STRIDE:-1})); [ $n -lt 50 ] || n=$((n+n/4)); kill_at "
                          "fsync,syncfs,sync $n; cut; next_run; "
                          "complete; [ $s = 0 ] && break; done; [ $n -gt 20 ]");
}

/* The disk is slow, so the previous batch has no outcomes yet. Settling has nothing else to sync. */
static void the_power_may_go_when_a_long_run_was_settled(void **state)
{
    cut_a_long_run(state,
                   "slow='-e inject=syncfs,sync:delay_enter=1s'; for n in 4300 8300; do "
                   "kill_at " MOVING_CALL " $n; [ $s = 137 ] || fail \"$w\" 'it was not killed'; "
                   "[ $(grep -c outcome disk/state/ledger/lines-*) -lt $(($n-300)) ] || fail \"$w\" "
                   "'too many outcomes'; $O recover disk/nowhere >out 2>err; [ -e disk/state/runs/open "
                   "] && fail \"$w\" 'not settled'; cut; next_run; complete; done");
}

/* What a run says is done is on disk when it says so. */
static void the_power_may_go_when_a_run_has_ended(void **state)
{
    if (geteuid() != 0)
        skip();
    run_script(
        *state,
        "fresh; $O enforce --yes >out 2>err || fail end 'the run failed'; cut; whole end; "
        "for f in disk/data/Trash/info/*; do grep -q '^Path=/.*scratch' $f || fail end \"$f is torn\"; done; "
        "$O enforce --yes >out 2>err; complete end");
}

/* A run is killed, the next one settles it, and only then the power goes. */
static void the_power_may_go_when_a_killed_run_was_settled(void **state)
{
    if (geteuid() != 0)
        skip();
    run_script(*state,
               "for n in 2 3; do fresh; strace -f -qq -o /dev/null -e trace=" MOVING_CALL
               " -e inject=" MOVING_CALL
               ":signal=SIGKILL:when=$n $O enforce --yes >out 2>err; $O enforce --yes >out 2>err || fail "
               "$n 'the next run failed'; cut; whole $n; $O enforce --yes >out 2>err; complete $n; done");
}

static void the_power_may_go_when_something_was_recovered(void **state)
{
    if (geteuid() != 0)
        skip();
    run_script(*state,
               "fresh; $O enforce --yes >out 2>err && $O recover disk/tides >out 2>err || fail end 'a "
               "run failed'; cut; "
               "whole end; [ $(ls disk/tides/scratch | wc -l) = 3 ] || fail end 'not recovered'; "
               "$O audit verify >out 2>err || fail end 'not sound'; away");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(int count, char **words)
{
    const struct CMUnitTest tests[] = {
        TEST(the_power_may_go_when_a_run_has_ended),
        TEST(the_power_may_go_when_a_killed_run_was_settled),
        TEST(the_power_may_go_when_something_was_recovered),
        TEST(the_power_may_go_between_batches),
        TEST(the_power_may_go_when_a_long_run_was_settled),
    };
    if (count > 1)
        cmocka_set_test_filter(words[1]);
    return cmocka_run_group_tests(tests, NULL, NULL);
}
