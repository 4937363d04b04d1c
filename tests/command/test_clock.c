/* SPDX-License-Identifier: Apache-2.0 */
/* A clock that is wrong: nothing expires while it is doubtful, what cannot be taken back waits, and only a
 * person who was asked, or a system that keeps it right, makes it the known one. The clock is moved by a
 * library that is preloaded (tests/dates/moved_clock.c). */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* `at SECONDS SYNCHRONISED COMMAND...`: the clock is wrong by so much, and the system says so, or that it is
 * right. */
static const char STAGE[] =
    ". \"$OLVIDO_SOURCE/tests/command/scripts/readings.sh\"\n"
    "export ASAN_OPTIONS=detect_leaks=0:verify_asan_link_order=0\n"
    "at() { wrong=$1 synchronised=$2; shift 2\n"
    "  LD_PRELOAD=$MOVED_CLOCK CLOCK_WRONG=$wrong CLOCK_SYNCHRONISED=$synchronised \"$@\"; }\n"
    "day=86400; items() { ls data/Trash/files | wc -l; }\n"
    /* two items that are to be cleared, by rules that are not new */
    "old_trash() { policy 'discard, unattended: yes' 'kind = file'\n"
    "  echo 'trash: { keep: 30 days, unattended: yes }' >>policy.yaml; old t/low.csv t/high.csv\n"
    "  status 0 at 0 no $O enforce --yes\n"
    "  sed -i 's/^DeletionDate=.*/DeletionDate=2020-01-01T00:00:00/' data/Trash/info/*\n"
    "  change 'update rule set since = since - 30 * 86400'; }\n"
    "change() { /usr/bin/python3 -c \"import sqlite3, sys; c = sqlite3.connect('state/state.db'); "
    "assert c.execute(sys.argv[1]).rowcount > 0; c.commit()\" \"$1\" || fail \"$1\"; }\n"
    "waits() { status 0 at $1 no $O enforce --unattended; grep -q \"$2: what cannot be taken back waits\" "
    "err || "
    "fail \"not said: $2\"; [ $(items) = 2 ] || fail \"it did not wait: $2\"; }\n"
    "goes() { status 0 at $1 $2 $O enforce --unattended; [ $(items) = 0 ] || fail 'it waits'; }\n"
    "jumped='the clock was set by more than an hour since the last run'\n";

static void clock_ok(const struct sandbox *s, const char *script)
{
    if (!getenv("MOVED_CLOCK"))
        skip();
    shell_staged(s, STAGE, script);
}

static void a_clock_that_jumped_stops_what_cannot_be_taken_back(void **state)
{
    clock_ok(*state, "old_trash; waits $((3 * 3600)) \"$jumped\"; waits $((3 * 3600)) \"$jumped\"");
}

static void less_than_an_hour_is_no_jump(void **state)
{
    clock_ok(*state, "old_trash; goes 3000 no");
}

static void a_reboot_without_a_synchronised_clock_stops_it_too(void **state)
{
    clock_ok(*state, "old_trash; change \"update clock set boot = 'another ' || boot\"\n"
                     "waits 0 'its clock is not known to be synchronised'; goes 0 yes");
}

static void a_clock_behind_the_ledger_is_not_believed(void **state)
{
    clock_ok(*state, "old_trash; at $((3000 * day)) no $O recover /nowhere >out 2>err || true\n"
                     "sed -i '$ s/\"time\":\"20/\"time\":\"21/' state/ledger/lines-*.jsonl\n"
                     "waits 0 'the clock is behind the last line of the ledger'");
}

static void neither_a_timer_nor_yes_vouches_for_a_clock(void **state)
{
    clock_ok(*state, "old_trash\n"
                     "status 0 at $((3 * 3600)) no $O enforce --yes --rule readings\n"
                     "grep -q \"$jumped\" err || fail 'the attended run says nothing'\n"
                     "status 0 at $((3 * 3600)) no $O enforce --unattended\n"
                     "waits $((3 * 3600)) \"$jumped\"; goes $((3 * 3600)) yes\n"
                     "old t/low.csv; status 0 at $((3 * 3600)) no $O enforce --unattended\n"
                     "grep -q \"$jumped\" err && fail 'it was known' || true");
}

static struct outcome on_terminal(const struct sandbox *s, const char *answers)
{
    struct outcome o;
    setenv("LD_PRELOAD", getenv("MOVED_CLOCK"), 1);
    setenv("CLOCK_WRONG", "10800", 1);
    setenv("CLOCK_SYNCHRONISED", "no", 1);
    setenv("ASAN_OPTIONS", "detect_leaks=0:verify_asan_link_order=0", 1);
    o = olvido_on_terminal(s, 100, answers, "--policy", "policy.yaml", "enforce", "--rule", "readings", NULL);
    unsetenv("LD_PRELOAD");
    unsetenv("CLOCK_WRONG");
    unsetenv("CLOCK_SYNCHRONISED");
    unsetenv("ASAN_OPTIONS");
    return o;
}

static void a_person_who_is_asked_does(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    clock_ok(s, "old_trash");
    o = on_terminal(s, "no\n");
    assert_status(&o, 3);
    assert_contains(o.out, "by the clock of this machine, but the clock was set by more than an hour");
    assert_contains(o.out, "nothing was done: set the clock first");
    clock_ok(s, "waits $((3 * 3600)) \"$jumped\"");
    o = on_terminal(s, "yes\n");
    assert_status(&o, 0);
    clock_ok(s, "goes $((3 * 3600)) no");
}

/* One run under a wrong clock, and what it recorded is as before. */
static void no_respite_expires_under_a_wrong_clock(void **state)
{
    clock_ok(
        *state,
        "policy discard 'kind = file'; old t/low.csv; status 0 at 0 no $O enforce --yes\n"
        "status 0 at 0 no $O recover t/low.csv\n"
        "spared() { [ -e t/low.csv ] && [ $(items) = $1 ] || fail \"$2: taken again\"; }\n"
        "status 0 at $((3000 * day)) no $O enforce --yes; spared 0 'under the wrong clock'\n"
        "status 0 at $((3000 * day)) no $O preview; grep -q 'recovered' out || fail 'preview says "
        "otherwise'\n"
        "old t/high.csv; status 0 at $((3000 * day)) no $O enforce --yes; spared 1 'with a run that ends'\n"
        "status 0 at 0 no $O enforce --yes; spared 1 'under the right one'\n"
        "status 0 at 0 no $O preview --as-of 2199-01-01; status 0 at $((3000 * day)) yes $O enforce --yes\n"
        "[ ! -e t/low.csv ] || fail 'it never expires'");
}

/* A rule that is first seen under a clock that is behind is new when the clock is right. */
static void a_doubtful_time_is_no_beginning_of_a_rule(void **state)
{
    clock_ok(*state, "old_trash; sed -i 's/keep: 30 days/keep: 31 days/' policy.yaml\n"
                     "status 0 at -$((90 * day)) no $O enforce --unattended\n"
                     "status 0 at 0 no $O enforce --unattended\n"
                     "grep -q 'the rule is new or changed' out || fail 'it counts as old'");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_clock_that_jumped_stops_what_cannot_be_taken_back),
        TEST(less_than_an_hour_is_no_jump),
        TEST(a_reboot_without_a_synchronised_clock_stops_it_too),
        TEST(a_clock_behind_the_ledger_is_not_believed),
        TEST(neither_a_timer_nor_yes_vouches_for_a_clock),
        TEST(a_person_who_is_asked_does),
        TEST(no_respite_expires_under_a_wrong_clock),
        TEST(a_doubtful_time_is_no_beginning_of_a_rule),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
