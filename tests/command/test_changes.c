/* SPDX-License-Identifier: Apache-2.0 */
/* The world does not stand still: files change between the question and the act, runs are cut short, disks
 * are full. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static int scratch_setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_scratch_policy(s);
    make_file(s, "tides/scratch/a.tmp", "aaa", 100);
    make_file(s, "tides/scratch/b.tmp", "bbb", 90);
    make_file(s, "tides/scratch/c.tmp", "ccc", 80);
    return 0;
}

static struct outcome enforce_while(const struct sandbox *s, const char *answers)
{
    return olvido_on_terminal(s, 100, answers, "--policy", "policy.yaml", "enforce", NULL);
}

static void a_file_that_vanished_is_left_alone(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce_while(s, "!rm tides/scratch/b.tmp\nyes\n");
    assert_status(&o, 0);
    assert_contains(o.out, "2 discarded (6 B), 1 left alone");
    o = olvido(s, "audit", "show", NULL);
    assert_contains(o.out, "b.tmp (3 B): it is gone");
}

static void a_file_that_was_changed_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce_while(s, "!touch -r tides/scratch/b.tmp stamp && echo new "
                                        ">tides/scratch/b.tmp && touch -r stamp tides/scratch/b.tmp\nyes\n");
    char *text;
    assert_status(&o, 0);
    assert_contains(o.out, "1 left alone");
    text = slurp(s, "tides/scratch/b.tmp");
    assert_string_equal(text, "new\n");
}

static void a_file_with_the_same_size_and_times_but_another_state_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce_while(s, "!touch -r tides/scratch/b.tmp stamp && printf xyz "
                                        ">tides/scratch/b.tmp && touch -r stamp tides/scratch/b.tmp\nyes\n");
    assert_status(&o, 0);
    assert_true(exists(s, "tides/scratch/b.tmp"));
}

static void a_file_that_was_replaced_stays(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        enforce_while(s, "!cp -p tides/scratch/b.tmp other && mv other tides/scratch/b.tmp\nyes\n");
    assert_status(&o, 0);
    assert_contains(o.out, "1 left alone");
    assert_true(exists(s, "tides/scratch/b.tmp"));
}

static void a_directory_that_was_turned_into_a_link_is_not_followed(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        enforce_while(s, "!mv tides/scratch moved && mkdir -p precious && touch -r moved/a.tmp "
                         "precious/a.tmp && ln -s ../precious tides/scratch\nyes\n");
    assert_status(&o, 0);
    assert_contains(o.out, "3 left alone");
    assert_true(exists(s, "precious/a.tmp"));
    assert_int_equal(count_entries(s, "moved"), 3);
}

static void another_directory_in_its_place_is_left_alone(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce_while(
        s, "!cp -rp tides/scratch copy && mv tides/scratch moved && mv copy tides/scratch\nyes\n");
    assert_status(&o, 0);
    assert_contains(o.out, "3 left alone");
    assert_int_equal(count_entries(s, "tides/scratch"), 3);
}

/* Runs enforce under strace, which does `what` to the system call. */
static struct outcome enforce_with_fault(const struct sandbox *s, const char *what)
{
    char script[512];
    snprintf(script, sizeof script,
             "export ASAN_OPTIONS=detect_leaks=0; strace -f -qq -o /dev/null -e inject=%s $O --policy "
             "policy.yaml enforce --yes",
             what);
    return shell(s, script);
}

static void assert_settled_and_sound(const struct sandbox *s, unsigned left)
{
    struct outcome o =
        olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", "--rule", "scratch", NULL);
    assert_contains(o.err, "an earlier run was cut short");
    (void)left;
    o = olvido_ends(s, 0, "audit", "verify", NULL);
    assert_int_equal(count_entries(s, "tides/scratch"), 0);
    assert_int_equal(count_entries(s, "data/Trash/files"), 3);
    assert_int_equal(count_entries(s, "data/Trash/info"), 3);
    assert_false(exists(s, "state/runs/open"));
    o = olvido_ends(s, 0, "recover", "tides", NULL);
    assert_contains(o.out, "3 recovered (9 B)");
}

static void a_run_killed_before_a_rename_is_settled(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce_with_fault(s, MOVING_CALL ":signal=SIGKILL:when=2");
    assert_int_equal(o.status, 128 + 9);
    assert_settled_and_sound(s, 2);
}

static void a_rename_that_fails_is_one_files_failure(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = enforce_with_fault(s, MOVING_CALL ":error=EIO:when=2");
    assert_status(&o, 1);
    assert_contains(o.err, "cannot move it into the trash: Input/output error");
    assert_contains(o.out, "2 discarded (6 B), 1 failed");
    assert_int_equal(count_entries(s, "data/Trash/info"), 2);
}

/* A container or an old kernel: the run goes on in the portable way, and says so. */
static void what_is_missing_is_done_in_a_weaker_way_and_recorded(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    o = enforce_with_fault(s, "openat2:error=ENOSYS -e inject=renameat2:error=EINVAL");
    assert_status(&o, 0);
    assert_contains(o.out, "3 discarded");
    o = shell(s, "$O audit show --json; $O audit verify && $O recover tides");
    assert_status(&o, 0);
    assert_contains(o.out, "\"weaker\":\"directories reached one component at a time\"");
    assert_contains(o.out,
                    "\"weaker\":\"directories reached one component at a time, exclusive renames by link "
                    "and unlink\"");
    assert_contains(o.out, "3 recovered");
    o = shell(s, "ln -s tides linked; sed 's,tides/scratch,linked/scratch,' policy.yaml >through.yaml; "
                 "strace -f -qq -o /dev/null -e inject=openat2:error=ENOSYS $O --policy through.yaml check");
    assert_contains(o.err,
                    "this machine lacks something that Olvido uses: directories reached one component");
}

static void a_full_disk_loses_nothing(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip();
    o = shell(
        s,
        "mkdir small && mount -t tmpfs -o size=64k tmpfs small && mkdir -m 700 small/state && "
        "dd if=/dev/zero of=small/filler bs=1k count=60 2>/dev/null; "
        "$O --state small/state --policy policy.yaml enforce --yes; status=$?; umount small; exit $status");
    assert_status(&o, 6);
    assert_contains(o.err, "No space left on device");
    assert_int_equal(count_entries(s, "tides/scratch"), 3);
}

/* State and trash are on one small disk, full to the last byte: emptying the trash must work, because that
 * makes room. */
static void a_full_disk_can_be_cleared(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip();
    o = shell(
        s,
        "mkdir small && mount -t tmpfs -o size=20m tmpfs small && mkdir -m 700 small/state && mkdir "
        "small/tides && "
        "cp -p tides/scratch/*.tmp small/tides && dd if=/dev/zero of=small/tides/large.tmp bs=1M count=4 "
        "2>/dev/null && "
        "touch -d '50 days ago' small/tides/large.tmp; sed s,tides/scratch,small/tides, policy.yaml "
        ">small.yaml; "
        "export XDG_DATA_HOME=$PWD/small/data; O=\"$OLVIDO --state small/state\"; "
        "$O --policy small.yaml enforce --yes; stat -c 'reserve %s' small/state/reserve; "
        "cat /dev/zero >small/filler; df --output=avail small | tail -n 1 | sed 's/^/free/'; "
        "$O trash clear --yes --count 4; echo cleared $?; df --output=avail small | tail -n 1 | sed "
        "'s/^/free/'; "
        "$O audit verify; echo verified $?; $O audit show; ls small/state; "
        /* without the reserve it would fail */
        "for f in tides/scratch/*.tmp; do cp -p $f small/tides; done; $O --policy small.yaml enforce --yes; "
        "cat /dev/zero >>small/filler; rm small/state/reserve; cat /dev/zero >>small/filler; "
        "$O trash clear --yes --count 3; echo again $?; umount small");
    assert_contains(o.out, "reserve 8388608\nfree    0\n");
    assert_contains(o.out, "4 removed for good (4.0 MiB)");
    assert_contains(o.out, "cleared 0\nfree12304\n");
    assert_contains(o.out, "verified 0\n");
    assert_contains(o.err, "No space left on device");
    assert_contains(o.out, "again 6\n");
}

static void a_ledger_that_ran_out_of_room_is_completed_later(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    if (geteuid() != 0)
        skip();
    for (int i = 0; i < 3000; i++) {
        char name[64];
        snprintf(name, sizeof name, "tides/scratch/plot-%04d.tmp", i);
        make_file(s, name, "x", 50);
    }
    o = shell(s, "mkdir small && mount -t tmpfs -o size=1000k tmpfs small && mkdir -m 700 small/state; "
                 "$O --state small/state --policy policy.yaml enforce --yes | grep Stopped; "
                 "mount -o remount,size=50m small; "
                 "$O --state small/state --policy policy.yaml enforce --yes >/dev/null; echo second $?; "
                 "$O --state small/state audit verify; $O --state small/state audit show | grep -c 'discard: "
                 "done'; umount small");
    assert_contains(o.err, "cannot write the ledger: No space left on device");
    assert_contains(o.err, "an earlier run was cut short");
    assert_contains(o.out, "Stopped: 3,003 discarded");
    assert_contains(o.out, "\nsecond 0\nSound: ");
    assert_contains(o.out, "\n3003\n"); /* every file has its outcome */
    assert_int_equal(count_entries(s, "data/Trash/files"), 3003);
    assert_int_equal(count_entries(s, "data/Trash/info"), 3003);
}

static void ctrl_c_finishes_the_file_and_tells(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    for (int i = 0; i < 3000; i++) {
        char name[64];
        snprintf(name, sizeof name, "tides/scratch/plot-%04d.tmp", i);
        make_file(s, name, "x", 50);
    }
    o = shell(s, "export ASAN_OPTIONS=detect_leaks=0; strace -f -qq -o /dev/null -e "
                 "inject=" MOVING_CALL ":signal=SIGINT:when=100 "
                 "$O --policy policy.yaml enforce --yes");
    assert_status(&o, 4);
    assert_contains(o.out, "Interrupted: 100 discarded");
    assert_contains(o.out, "2,903 left alone");
    assert_int_equal(count_entries(s, "tides/scratch"), 2903);
    assert_int_equal(count_entries(s, "data/Trash/files"), 100);
    o = olvido_ends(s, 0, "audit", "verify", NULL);
    assert_lacks(o.out, "A run was cut short");
}

/* Three batches: the next intent is on disk while a batch runs. */
static void a_long_run_that_is_interrupted_accounts_for_all_it_intended(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    o = shell(
        s, "export ASAN_OPTIONS=detect_leaks=0; (cd tides/scratch; seq -f plot-%g.tmp 8997 | xargs touch -d "
           "'50 days ago'); sed -i '1a limits: { files: 10000 }' policy.yaml; "
           "strace -f -qq -o /dev/null -e inject=" MOVING_CALL ":signal=SIGINT:when=4500 $O --policy "
           "policy.yaml enforce --yes; echo status $?; ls tides/scratch | wc -l; ls state/runs; "
           "l=state/ledger/lines-*; grep -o '\"decisions\":[0-9]*' $l | cut -d: -f2 | awk '{ n += $1 } END { "
           "print n }' >intended; "
           "grep -c '\"kind\":\"outcome\"' $l | cmp - intended && echo all told; "
           "grep -o '\"batch\":[0-9]*,\"entry\":[0-9]*' $l | sort | uniq -d | wc -l; $O audit verify");
    assert_contains(o.out, "Interrupted: 4,500 discarded");
    assert_contains(o.out, "status 4\n4500\n");
    assert_contains(o.out, "all told\n0\n");
    assert_contains(o.out, "Sound: ");
    assert_lacks(o.out, "open\n");
}

static void several_batches_are_one_run(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    o = shell(
        s,
        "(cd tides/scratch; seq -f plot-%g.tmp 8997 | xargs touch -d '50 days ago'); "
        "sed -i '1a limits: { files: 10000 }' policy.yaml; $O --policy policy.yaml enforce --yes && "
        "ls data/Trash/files | wc -l && ls data/Trash/info | wc -l && $O recover tides && "
        "ls tides/scratch | wc -l && ls -A data/Trash/files data/Trash/info | grep -c plot; $O audit verify");
    assert_status(&o, 0);
    assert_contains(o.out, "9,000 discarded");
    assert_contains(o.out, "\n9000\n9000\n");
    assert_contains(o.out, "9,000 recovered");
    assert_contains(o.out, "\n9000\n0\n");
    assert_contains(o.out, "Sound: 18,0");
}

static void a_public_directory_is_checked_after_the_rename(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    assert_int_equal(chmod(in(s, "tides/scratch"), 01777), 0);
    o = olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    assert_contains(o.out, "3 discarded");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, scratch_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_file_that_vanished_is_left_alone),
        TEST(a_file_that_was_changed_stays),
        TEST(a_file_with_the_same_size_and_times_but_another_state_stays),
        TEST(a_file_that_was_replaced_stays),
        TEST(a_directory_that_was_turned_into_a_link_is_not_followed),
        TEST(another_directory_in_its_place_is_left_alone),
        TEST(a_run_killed_before_a_rename_is_settled),
        TEST(a_rename_that_fails_is_one_files_failure),
        TEST(what_is_missing_is_done_in_a_weaker_way_and_recorded),
        TEST(a_full_disk_loses_nothing),
        TEST(a_full_disk_can_be_cleared),
        TEST(a_ledger_that_ran_out_of_room_is_completed_later),
        TEST(ctrl_c_finishes_the_file_and_tells),
        TEST(a_long_run_that_is_interrupted_accounts_for_all_it_intended),
        TEST(several_batches_are_one_run),
        TEST(a_public_directory_is_checked_after_the_rename),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
