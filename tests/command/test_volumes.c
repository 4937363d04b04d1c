/* SPDX-License-Identifier: Apache-2.0 */
/* A run during which the ledger turns to its next volume: everything recorded is in the two volumes, wherever
 * the run is killed. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mount.h>
#include <unistd.h>

/* The ledger is filled once for all tests, in memory, with names of nearly maximal length, to slightly below
 * the end of its volume; each run starts with a copy. */
static const char STAGE[] =
    "set -u; top=$PWD; cd memory; sed \"s,$top,$PWD,\" ../policy.yaml >policy.yaml\n"
    "export ASAN_OPTIONS=detect_leaks=0 XDG_DATA_HOME=$PWD/data\n"
    "O=\"$OLVIDO --state $PWD/state --policy $PWD/policy.yaml\"\n"
    "fail() { echo \"$1\"; cat out err; ls -l state/ledger; exit 1; }\n"
    "fill() { d=$1; for i in $(seq 14); do d=$d/$(printf 'tide-gauge-%.0s' $(seq 20))$i; done; mkdir -p $d\n"
    "  (cd $d; seq -f reading-%05g.csv $2 | xargs touch)\n"
    "  $O archive --keep --to $1.tar $1 --yes >out 2>err || fail \"filling with $1\"; }\n"
    "size() { cat state/ledger/lines-* | wc -c; }\n"
    "volumes() { ls state/ledger/lines-* | wc -l; }\n"
    "stage() { fill first 500; s=$(size); fill second $(((67108864 - 1000000 - s) * 500 / s))\n"
    "  [ $(volumes) = 1 ] && [ $(size) -gt 65000000 ] || fail 'the volume is not nearly full'\n"
    "  mv state full; rm -rf first second; mkdir -p data tides/scratch; }\n"
    "fresh() { rm -rf state data/Trash tides/scratch/*; cp -a full state\n"
    "  (cd tides/scratch; seq -f gauge-%g.tmp 8300 | xargs touch -d '100 days ago'); }\n"
    "complete() { [ $(ls tides/scratch | wc -l) = 0 ] || fail \"$1: something is left\"\n"
    "  [ $(ls data/Trash/files | wc -l) = 8300 ] || fail \"$1: $(ls data/Trash/files | wc -l) in the "
    "trash\"\n"
    "  [ -e state/runs/open ] && fail \"$1: a run is still open\"\n"
    "  [ $(volumes) = 2 ] || fail \"$1: $(volumes) volumes\"\n"
    "  $O audit show --json --path $PWD/tides/scratch | grep '\"result\":\"done\"' | grep -o "
    "'gauge-[0-9]*[.]tmp\",\"trash' | sort | "
    "uniq -c >told\n"
    "  [ $(wc -l <told) = 8300 ] || fail \"$1: $(wc -l <told) are told of\"\n"
    "  grep -qv '^ *1 ' told && fail \"$1: some are told of twice\"\n"
    "  $O audit verify >out 2>err || fail \"$1: not sound\"; }\n";

/* Many files are removed again and again, which is fast only in memory. */
static bool has_memory(const struct sandbox *s)
{
    return geteuid() == 0 && exists(s, "memory/full");
}

static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    make_scratch_policy(*state);
    make_dir(*state, "memory");
    if (geteuid() == 0 && mount("none", in(*state, "memory"), "tmpfs", 0, "size=700m") == 0)
        shell_staged(*state, STAGE, "stage");
    return 0;
}

static int teardown(void **state)
{
    umount2(in(*state, "memory"), MNT_DETACH);
    return sandbox_teardown(state);
}

static void run_script(const struct sandbox *s, const char *script)
{
    if (!has_memory(s))
        skip();
    shell_staged(s, STAGE, script);
}

static void a_long_run_goes_through_volumes(void **state)
{
    run_script(
        *state,
        "fresh; $O enforce --yes >out 2>err || fail 'enforce'; complete once\n"
        "first=state/ledger/lines-000000000000.jsonl\n"
        "[ $(wc -c <$first) -lt 72000000 ] || fail 'the first volume is too long'\n"
        "tail -n 1 $first | grep -q '\"kind\":\"outcome\"' || fail 'the first does not end within the run'\n"
        "[ -s state/ledger/index-000000000000 ] || fail 'the closed volume has no index'\n"
        "for f in gauge-1 gauge-8300; do $O audit show --path $PWD/tides/scratch/$f.tmp >out 2>err || fail "
        "$f\n"
        "  [ $(grep -c 'discard: done' out) = 1 ] || fail \"$f is not found\"; done\n"
        "$O audit show --path $PWD/second >out 2>err || fail 'what was before'\n"
        "[ $(grep -c 'archive: done' out) -gt 10000 ] || fail 'what was before is not found'\n"
        "$O recover tides >out 2>err || fail recover; [ $(ls tides/scratch | wc -l) = 8300 ] || fail 'too "
        "few'");
}

/* It would hide lines from a search: verifying says so, and an unreadable one is not used. */
static void an_index_that_lies_is_found(void **state)
{
    run_script(
        *state,
        "fresh; $O enforce --yes >out 2>err || fail 'enforce'; i=state/ledger/index-000000000000\n"
        "cp $i whole\n"
        "lies() { $O audit verify >out 2>err; s=$?; [ $s = 5 ] || fail \"$1: status $s\"\n"
        "  grep -q 'not what its lines make' out err || fail \"$1: not said\"; }\n"
        "change() { cp whole $i; /usr/bin/python3 -c \"import sqlite3, sys; c = sqlite3.connect('$i'); "
        "assert c.execute(sys.argv[1]).rowcount > 0; c.commit()\" \"$1\" || fail \"$1\"; }\n"
        "change 'delete from lines where rowid = 2'; lies 'a row less'\n"
        "change \"insert into lines values (1, 1, x'010000000000000001000000')\"; lies 'a row more'\n"
        "change 'update lines set entries = substr(entries, 13) where rowid = 1'; lies 'an entry less'\n"
        "change \"update lines set entries = cast(substr(entries, 1, 8) || x'70000000' || substr(entries, "
        "13) as blob) "
        "where rowid = 1\"; lies 'another block'\n"
        "change 'update lines set least = least + 1 where rowid = 2'; lies 'another bound'\n"
        "change 'update lines set most = most - 1 where rowid = 2'; lies 'another bound'\n"
        "change 'update volume set bytes = bytes - 1'; lies 'another volume'\n"
        "finds() { $O audit show --path $PWD/second >out 2>err || fail \"$1\"\n"
        "  [ $(grep -c 'archive: done' out) -gt 10000 ] || fail \"$1: not found\"; }\n"
        "finds 'another volume'\n"
        "head -c 100000 whole >$i; lies 'torn'; finds 'torn'\n"
        "echo gauge >$i; lies 'no index'; finds 'no index'\n"
        "rm $i; finds 'none'; $O audit verify >out 2>err || fail 'none: not sound'");
}

/* Before the checkpoint that closes the volume, and before the one at the end. */
static void it_may_be_killed_at_a_checkpoint(void **state)
{
    run_script(*state,
               "for n in 3 4; do fresh\n"
               "  strace -f -qq -o /dev/null -e trace=renameat -e inject=renameat:signal=SIGKILL:when=$n $O "
               "enforce --yes >out 2>err; s=$?; [ $s = 137 ] || fail \"$n: status $s\"\n"
               "  $O enforce --yes >out 2>err || fail \"$n: the next run\"; complete \"$n\"; done");
}

/* As soon as the next volume exists, or slightly later. */
static void it_may_be_killed_when_it_has_turned(void **state)
{
    run_script(*state,
               "moments='0 1 5 20 50'; [ ${STRIDE:-1} -gt 1 ] && moments='1 20'\n"
               "for ms in $moments; do fresh; $O enforce --yes >out 2>err & p=$!\n"
               "  until [ $(volumes) = 2 ] || ! kill -0 $p 2>/dev/null; do :; done\n"
               "  sleep 0.0$(printf %02d $ms); kill -9 $p 2>/dev/null; wait $p 2>/dev/null\n"
               "  $O enforce --yes >out 2>err || fail \"$ms ms: the next run\"; complete \"$ms ms\"; done");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_long_run_goes_through_volumes),
        cmocka_unit_test(an_index_that_lies_is_found),
        cmocka_unit_test(it_may_be_killed_at_a_checkpoint),
        cmocka_unit_test(it_may_be_killed_when_it_has_turned),
    };
    return cmocka_run_group_tests(tests, setup, teardown);
}
