/* SPDX-License-Identifier: Apache-2.0 */
/* The system fails one call: the failure is reported, it is no success, and what could not be looked at
 * counts neither as missing nor as damaged. torture/ fails each call of each command; these are its findings.
 */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* One file is due, and also in the depot. */
static int setup(void **state)
{
    if (sandbox_setup(state) < 0)
        return -1;
    make_scratch_policy(*state);
    make_dir(*state, "depot");
    make_file(*state, "tides/scratch/a.tmp", "first", 100);
    write_policy(*state,
                 "depots: { cold-room: { path: \"@/depot\" } }\nrules:\n  - { name: scratch, under: "
                 "\"@/tides/scratch\", steps: [ { after: 30 days, do: discard } ] }\n",
                 NULL);
    shell_ok(*state,
             "$O --policy policy.yaml archive tides/scratch/a.tmp --keep --depot cold-room --yes >out");
    return 0;
}

/* Runs the command while the call fails ("read:error=EIO"), only on this path (a pattern) unless it is "". */
static struct outcome failing(const struct sandbox *s, const char *path, const char *call,
                              const char *command)
{
    char script[600];
    snprintf(script, sizeof script,
             "export ASAN_OPTIONS=detect_leaks=0; strace -f -o trace %s%s -e inject=%s $O %s",
             *path ? "-P $PWD/" : "", path, call, command);
    return shell(s, script);
}

struct refusal {
    const char *path, *call, *command;
    int status;
    const char *says;
};

static void each_is_said(const struct sandbox *s, const struct refusal *refusals, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        struct outcome o = failing(s, refusals[i].path, refusals[i].call, refusals[i].command);
        assert_status(&o, refusals[i].status);
        assert_contains(o.err, refusals[i].says);
        assert_lacks(o.out, "ound:"); /* neither "Sound" nor "Not sound" */
        assert_string_equal(slurp(s, "tides/scratch/a.tmp"), "first");
    }
    olvido_ends(s, 0, "audit", "verify", NULL);
    olvido_ends(s, 0, "depot", "verify", NULL);
}

static void a_system_without_chance_is_no_success(void **state)
{
    static const struct refusal refusals[] = {
        {"", "getrandom:error=EIO", "archive tides/scratch/a.tmp --to a.tar", 6, "gives no random bytes"},
        {"", "getrandom:error=EIO", "compress tides/scratch/a.tmp", 6, "gives no random bytes"},
        {"", "getrandom:error=EIO", "--policy policy.yaml enforce --yes", 6, "gives no random bytes"},
        /* an incomplete list is no list */
        {"", "getrandom:error=EIO", "--policy policy.yaml preview --list", 1, "memory ran out"},
    };
    ON_LINUX_ONLY();
    each_is_said(*state, refusals, sizeof refusals / sizeof *refusals);
    assert_false(exists(*state, "a.tar"));
}

static void what_cannot_be_read_is_not_verified(void **state)
{
    static const struct refusal refusals[] = {
        {"state/ledger/checkpoint", "read:error=EIO", "audit verify", 1,
         "ledger/checkpoint: cannot read the file: Input/output error"},
        {"state/runs/checkpoint", "read:error=EIO", "audit verify", 1,
         "runs/checkpoint: cannot read the file: Input/output error"},
        {"state/runs/checkpoint", "read:error=EIO", "--policy policy.yaml enforce --yes", 6,
         "runs/checkpoint: cannot read the file: Input/output error"},
        {"state/runs/*/000001.docket", "read:error=EIO", "audit verify", 1,
         "000001.docket: cannot read the file: Input/output error"},
        {"depot", "openat:error=EMFILE", "depot verify", 1,
         "the archive cannot be opened: Too many open files"},
    };
    ON_LINUX_ONLY();
    each_is_said(*state, refusals, sizeof refusals / sizeof *refusals);
}

static void a_database_that_cannot_be_opened_is_there(void **state)
{
    static const struct refusal refusals[] = {
        {"state/catalogue.db-shm", "openat:error=EMFILE:when=1", "depot show", 6,
         "the catalogue: cannot open it"},
        {"state/catalogue.db-wal", "openat:error=EMFILE:when=1", "recover --list", 6,
         "the catalogue: cannot open it"},
        {"state/state.db-shm", "openat:error=EMFILE:when=1", "--policy policy.yaml preview", 6,
         "what runs remember (state.db): cannot open it"},
        {"state/state.db-shm", "openat:error=EMFILE:when=1", "--policy policy.yaml enforce --yes", 6,
         "what runs remember (state.db): cannot open it"},
    };
    ON_LINUX_ONLY();
    each_is_said(*state, refusals, sizeof refusals / sizeof *refusals);
}

static void a_directory_that_cannot_be_reached_is_there(void **state)
{
    static const struct refusal refusals[] = {
        {"tides", "readlink,openat2:error=EIO", "archive tides/scratch/a.tmp --to tides/a.tar", 1,
         "Input/output error"},
        {"depot", "?access,?faccessat,?faccessat2:error=EIO",
         "--policy policy.yaml archive tides/scratch/a.tmp --depot cold-room", 1,
         "cannot look at the depot cold-room: Input/output error"},
    };
    ON_LINUX_ONLY();
    each_is_said(*state, refusals, sizeof refusals / sizeof *refusals);
}

/* Whether a run is open decides what may follow the checkpoint. */
static void an_open_run_that_cannot_be_looked_at_is_no_fault(void **state)
{
    struct outcome o;
    ON_LINUX_ONLY();
    o = shell(*state,
              "export ASAN_OPTIONS=detect_leaks=0; strace -f -o all -e trace=openat $O audit verify >out\n"
              "n=$(grep -n 'runs/open' all | head -1 | cut -d: -f1)\n"
              "strace -f -o trace -e trace=openat -e inject=openat:error=EIO:when=$n $O audit verify");
    assert_status(&o, 1);
    assert_contains(o.err, "runs/open: cannot open the file: Input/output error");
    assert_lacks(o.out, "ound:");
}

static void a_depot_that_cannot_be_opened_is_not_empty(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    shell_ok(s, "rm state/catalogue.db*");
    o = failing(s, "depot", "openat2,openat:error=EIO", "--policy policy.yaml depot verify");
    assert_status(&o, 1);
    assert_contains(o.err, "cannot open the depot: Input/output error");
    assert_lacks(o.out, "ound:");
    o = olvido_ends(s, 2, "--policy", "none.yaml", "depot", "verify", NULL);
    assert_lacks(o.out, "ound:");
}

static void an_item_that_cannot_be_looked_at_is_neither_gone_nor_there_twice(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o;
    ON_LINUX_ONLY();
    olvido_ends(s, 0, "--policy", "policy.yaml", "enforce", "--yes", NULL);
    o = failing(s, "data/Trash/info", "getdents64:error=EIO",
                "--policy policy.yaml explain tides/scratch/a.tmp");
    assert_status(&o, 1); /* nobody knows whether it is there */
    assert_contains(o.err, "cannot read the trash: Input/output error");
    for (unsigned k = 15; k < 45; k++) {
        char call[60];
        snprintf(call, sizeof call, "statx:error=EIO:when=%u", k);
        o = failing(s, "", call, "recover --list --json");
        assert_lacks(o.out, "\"older_versions\":2"); /* one is in the depot */
    }
}

/* A second answer would not match what was allocated for the first. */
static void processors_may_come_meanwhile(void **state)
{
    static const char *const commands[][2] = {{"survey tides", "1 entry"},
                                              {"--policy policy.yaml preview", "1 file is due"},
                                              {"archive tides --keep --to a.tar", "archived"}};
    if (getenv("STRIDE"))
        skip(); /* a sanitizer's own call may not fail */
    ON_LINUX_ONLY();
    for (size_t i = 0; i < sizeof commands / sizeof *commands; i++) {
        struct outcome o = failing(*state, "", "sched_getaffinity:error=EIO:when=1", commands[i][0]);
        assert_status(&o, 0);
        assert_contains(o.out, commands[i][1]);
    }
}

/* Its first rule keeps them: if what that rule is about cannot be found out, the second one does not get
 * them. */
static void a_rule_whose_place_cannot_be_opened_still_owns_its_files(void **state)
{
    static const char *const calls[] = {"openat2:error=EMFILE", "openat:error=ENFILE", "openat2:error=EIO",
                                        "statx:error=EIO"};
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    write_policy(
        s,
        "rules:\n  - { name: kept, under: \"@/tides/scr*/kept\", steps: [ { after: 0 days, do: keep } ] }\n"
        "  - { name: rest, under: \"@/tides\", steps: [ { after: 30 days, do: discard } ] }\n",
        NULL);
    shell_ok(s, "mkdir tides/scratch/kept");
    make_file(s, "tides/scratch/kept/b.tmp", "kept", 100);
    for (size_t i = 0; i < sizeof calls / sizeof *calls; i++)
        for (int at = 1; at <= 24; at += (int)stride()) {
            char script[700];
            snprintf(
                script, sizeof script,
                "export ASAN_OPTIONS=detect_leaks=0; strace -f -o trace -e inject=%s:when=%d $O --policy "
                "policy.yaml enforce --yes >out 2>err || true; test -e tides/scratch/kept/b.tmp || { echo %s "
                "%d; cat "
                "out err; grep INJECTED trace; exit 1; }",
                calls[i], at, calls[i], at);
            shell_ok(s, script);
        }
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_system_without_chance_is_no_success),
        TEST(what_cannot_be_read_is_not_verified),
        TEST(a_database_that_cannot_be_opened_is_there),
        TEST(a_directory_that_cannot_be_reached_is_there),
        TEST(a_depot_that_cannot_be_opened_is_not_empty),
        TEST(an_open_run_that_cannot_be_looked_at_is_no_fault),
        TEST(an_item_that_cannot_be_looked_at_is_neither_gone_nor_there_twice),
        TEST(processors_may_come_meanwhile),
        TEST(a_rule_whose_place_cannot_be_opened_still_owns_its_files),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
