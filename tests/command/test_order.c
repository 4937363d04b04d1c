/* SPDX-License-Identifier: Apache-2.0 */
/* The durable order as the operating system saw it: docket synced, intent synced, acts, directories synced,
 * outcomes. The system calls of a small run are traced and read back. */
#include "support/command.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static int traced_setup(void **state)
{
    const struct sandbox *s;
    struct outcome o;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_scratch_policy(s);
    make_file(s, "tides/scratch/a.tmp", "aaa", 100);
    make_file(s, "tides/scratch/b.tmp", "bbb", 90);
    o = shell(s, "export ASAN_OPTIONS=detect_leaks=0; strace -f -qq -y -s 4000 -o trace "
                 "-e trace=openat,write,fsync,renameat2,renameat,linkat,unlinkat $O --policy policy.yaml "
                 "enforce --yes");
    assert_status(&o, 0);
    return 0;
}

/* The first line of the trace after `from` that has both parts; fails if there is none. */
static const char *find(const char *from, const char *call, const char *part)
{
    for (const char *line = from; line && *line; line = strchr(line, '\n') ? strchr(line, '\n') + 1 : NULL) {
        size_t len = strcspn(line, "\n");
        char *copy = strndup(line, len);
        bool fits = strstr(copy, call) && strstr(copy, part);
        free(copy);
        if (fits)
            return line;
    }
    fail_msg("no %s with %s behind:\n%.400s", call, part, from);
    return NULL;
}

/* The same after the last line found. */
static const char *behind(const char *at, const char *call, const char *part)
{
    const char *next = strchr(at, '\n');
    return find(next ? next + 1 : "", call, part);
}

static void intents_come_before_acts_and_outcomes_after_them(void **state)
{
    const struct sandbox *s = *state;
    char *trace = slurp(s, "trace");
    const char *at = find(trace, "renameat(", "open.new");
    at = behind(at, "write(", "\\\"kind\\\":\\\"begin\\\"");
    at = behind(at, "fsync(", "ledger/lines-");
    at = behind(at, "write(", "000001.docket");
    at = behind(at, "fsync(", "000001.docket");
    at = behind(at, "fsync(", "/state/runs/2");
    at = behind(at, "write(", "\\\"kind\\\":\\\"intent\\\"");
    at = behind(at, "fsync(", "ledger/lines-");
    at = behind(at, "openat(", "a.tmp.trashinfo");
    at = behind(at, "fsync(", "a.tmp.trashinfo");
    at = behind(at, MOVING_CALL "(", "a.tmp");
    at = find(trace, "fsync(", "tides/scratch"); /* b may come before a; both are before this */
    assert_true(find(trace, MOVING_CALL "(", "a.tmp") < at);
    assert_true(find(trace, MOVING_CALL "(", "b.tmp") < at);
    at = behind(at, "fsync(", "Trash/info>");
    at = behind(at, "fsync(", "Trash/files>");
    at = behind(at, "write(", "\\\"kind\\\":\\\"outcome\\\"");
    at = behind(at, "fsync(", "ledger/lines-");
    at = behind(at, "fsync(", "ledger/hashes-0");
    at = behind(at, "renameat(", "checkpoint.new");
    behind(at, "unlinkat(", "\"open\"");
}

static void no_outcome_is_written_before_its_act_is_on_the_disk(void **state)
{
    const struct sandbox *s = *state;
    char *trace = slurp(s, "trace");
    const char *outcome = find(trace, "write(", "\\\"kind\\\":\\\"outcome\\\"");
    assert_true(find(trace, "fsync(", "tides/scratch") < outcome);
    assert_true(find(trace, "fsync(", "Trash/files>") < outcome);
    assert_true(find(trace, "fsync(", "Trash/info>") < outcome);
    assert_true(find(trace, "fsync(", "a.tmp.trashinfo") < outcome);
    assert_true(find(trace, "fsync(", "b.tmp.trashinfo") < outcome);
    assert_true(find(trace, MOVING_CALL "(", "a.tmp") < find(trace, "fsync(", "tides/scratch"));
}

static void what_is_recovered_is_on_the_disk_before_its_outcome(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o =
        shell(s, "export ASAN_OPTIONS=detect_leaks=0; mkdir -p elsewhere; strace -f -qq -y -s 4000 "
                 "-o back -e trace=write,fsync,renameat2,linkat $O recover tides --into elsewhere");
    const char *at, *outcome;
    char *trace;
    assert_status(&o, 0);
    trace = slurp(s, "back");
    outcome = find(trace, "write(", "\\\"kind\\\":\\\"outcome\\\"");
    at = find(trace, MOVING_CALL "(", "b.tmp");
    assert_true(find(at, "fsync(", "elsewhere>") < outcome);
    assert_true(find(at, "fsync(", "Trash/files>") < outcome);
    assert_true(find(at, "fsync(", "Trash/info>") < outcome);
}

static void the_intent_commits_to_the_docket_that_was_written(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "want=$(sed -n 's/.*\"segment\":\"\\([0-9a-f]*\\)\".*/\\1/p' state/ledger/lines-*.jsonl); "
           "have=$(sha256sum state/runs/2*/000001.docket | cut -d ' ' -f 1); test \"$want\" = \"$have\"");
    assert_status(&o, 0);
}

static void what_is_sealed_is_the_digest_of_what_is_open(void **state)
{
    const struct sandbox *s = *state;
    struct outcome o = shell(
        s, "line=$(grep '\"kind\":\"outcome\"' state/ledger/lines-*.jsonl | head -n 1); "
           "open=${line##*,\\\"open\\\":}; open=${open%?}; "
           "have=$(printf %s \"$open\" | sha256sum | cut -d ' ' -f 1); "
           "case $line in *\\\"sealed\\\":\\\"$have\\\"*) exit 0 ;; *) echo \"$open $have\"; exit 1 ;; esac");
    assert_status(&o, 0);
}

static void nothing_is_reached_by_a_path_through_the_tree(void **state)
{
    const struct sandbox *s = *state;
    char *trace = slurp(s, "trace");
    ON_LINUX_ONLY();
    for (const char *line = trace; (line = strstr(line, MOVING_CALL "(")); line++) {
        size_t len = strcspn(line, "\n");
        char *call = strndup(line, len);
        assert_contains(call, "tides/scratch>, \""); /* a descriptor of the directory, and a bare name */
        assert_lacks(call, "AT_FDCWD");
        free(call);
    }
}

/* ---- every act: what is new is on the disk before it has a name, its name before the original goes, and all
 * of it before the ledger says so ---- */

static const struct {
    const char *stage, *command;
    const char *steps[24]; /* a call and a part of its line, in this order */
} orders[] = {
    {"policy tell 'kind = file'; seq 9000 >t/r.csv",
     "compress t/r.csv --yes",
     {"fsync(", "/t/#", "fdatasync(", "state.db-wal", "linkat(", "\"r.csv.zst\"", "fsync(", "/t>",
      "unlinkat(", "\"r.csv\"", "fsync(", "/t>"}},
    {"policy tell 'kind = file'; seq 9000 >t/r.csv; status 0 $O compress t --yes",
     "decompress t/r.csv.zst --yes",
     {"fsync(", "/t/#", "fdatasync(", "state.db-wal", "linkat(", "\"r.csv\"", "fsync(", "/t>", "unlinkat(",
      "\"r.csv.zst\"", "fsync(", "/t>"}},
    {"policy tell 'kind = file'; for i in $(seq 20); do seq 9000 >t/$i.csv; done", /* whole file systems */
     "compress t --yes",
     {"syncfs(", "/t/#", "fdatasync(", "state.db-wal", "linkat(", ".csv.zst", "fsync(", "/t>", "unlinkat(",
      ".csv", "fsync(", "/t>"}},
    {"policy tell 'kind = file'; for i in $(seq 20); do seq 9000 >t/$i.csv; done\n"
     "status 0 $O archive t --depot cold-room --yes",
     "recover t",
     {"syncfs(", "/t/#", "fdatasync(", "state.db-wal", "linkat(", ".csv", "fsync(", "/t>"}},
    {"policy tell 'kind = file'; old t/r.csv",
     "archive t/r.csv --depot cold-room --yes",
     {"fdatasync(", "catalogue.db-wal", "fsync(", "/depot/#", "fdatasync(", "catalogue.db-wal", "linkat(",
      "\"by-hand", "fsync(", "/depot>", "fdatasync(", "catalogue.db-wal", "unlinkat(", "\"r.csv\"", "fsync(",
      "/t>"}},
    {"policy tell 'kind = file'; old t/r.csv; mkdir -p to",
     "archive t/r.csv --to to/r.tar --yes",
     {"fsync(", "/to/#", "fdatasync(", "state.db-wal", "linkat(", "\"r.tar\"", "fsync(", "/to>", "unlinkat(",
      "\"r.csv\"", "fsync(", "/t>"}},
    {"policy delete 'name = \"r.csv\"'; old t/r.csv t/s.csv; status 0 $O archive t --depot cold-room --yes; "
     "mkdir -p t",
     "enforce --yes --count 1",
     {"fdatasync(", "catalogue.db-wal", "fsync(", "/depot/#", "fdatasync(", "catalogue.db-wal", "linkat(",
      ".r2.tar", "fsync(", "/depot>", "fdatasync(", "catalogue.db-wal", "unlinkat(", "\"by-hand", "fsync(",
      "/depot>"}},
    {"policy delete 'kind = file'; old t/r.csv; status 0 $O archive t --depot cold-room --yes; mkdir -p t",
     "enforce --yes --count 1",
     {"fdatasync(", "catalogue.db-wal", "unlinkat(", "\"by-hand", "fsync(", "/depot>"}},
    {"policy tell 'kind = file'; old t/r.csv; status 0 $O archive t/r.csv --depot cold-room --yes",
     "recover t/r.csv",
     {"fsync(", "/t/#", "fdatasync(", "state.db-wal", "linkat(", "\"r.csv\"", "fsync(", "/t>"}},
    {"policy discard 'kind = file'; old t/r.csv; status 0 $O enforce --yes",
     "recover t/r.csv",
     {"fdatasync(", "state.db-wal", "renameat2(", "\"r.csv\"", "unlinkat(", "r.csv.trashinfo"}},
    {"policy delete 'kind = file'; old t/r.csv",
     "enforce --yes",
     {"unlinkat(", "\"r.csv\"", "fsync(", "/t>"}},
    {"policy discard 'kind = file'; old t/r.csv; status 0 $O enforce --yes",
     "trash clear --yes --count 1",
     {"unlinkat(", "\"r.csv\"", "unlinkat(", "r.csv.trashinfo", "fsync(", "Trash/info>"}},
};

static const char TRACE[] =
    "strace -f -qq -y -s 4000 -o trace -e trace=write,fsync,fdatasync,syncfs,renameat2,linkat,unlinkat $O ";

static void every_act_keeps_the_order(void **state)
{
    const struct sandbox *s = *state;
    ON_LINUX_ONLY();
    for (size_t i = 0; i < sizeof orders / sizeof *orders; i++) {
        char script[1000], *trace;
        const char *at;
        shell_ok(s, "rm -rf state data t depot to");
        snprintf(script, sizeof script, "%s; %s %s >out 2>err || fail '%s'", orders[i].stage, TRACE,
                 orders[i].command, orders[i].command);
        readings_ok(s, script);
        trace = slurp(s, "trace");
        at = find(trace, "write(", "\\\"kind\\\":\\\"intent\\\"");
        at = behind(at, "fsync(", "ledger/lines-");
        for (const char *const *step = orders[i].steps; *step; step += 2)
            at = behind(at, step[0], step[1]);
        at = behind(at, "write(", "\\\"kind\\\":\\\"outcome\\\"");
        behind(at, "fsync(", "ledger/lines-");
    }
}

/* What `extract` extracted keeps no state: all of it is on disk before the command says so. */
static void what_is_extracted_is_on_the_disk_when_it_is_said(void **state)
{
    const struct sandbox *s = *state;
    const char *at;
    char *trace;
    ON_LINUX_ONLY();
    readings_ok(
        s, "policy tell 'kind = file'; old t/r.csv; status 0 $O archive t --to r.tar --yes\n"
           "strace -f -qq -y -s 4000 -o trace -e trace=write,syncfs,linkat $O extract r.tar --into o >out");
    trace = slurp(s, "trace");
    at = find(trace, "linkat(", "\"r.csv\"");
    at = behind(at, "syncfs(", "/o>");
    behind(at, "write(", "Done: ");
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, traced_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(intents_come_before_acts_and_outcomes_after_them),
        TEST(no_outcome_is_written_before_its_act_is_on_the_disk),
        TEST(what_is_recovered_is_on_the_disk_before_its_outcome),
        TEST(the_intent_commits_to_the_docket_that_was_written),
        TEST(what_is_sealed_is_the_digest_of_what_is_open),
        TEST(nothing_is_reached_by_a_path_through_the_tree),
        cmocka_unit_test_setup_teardown(every_act_keeps_the_order, sandbox_setup, sandbox_teardown),
        cmocka_unit_test_setup_teardown(what_is_extracted_is_on_the_disk_when_it_is_said, sandbox_setup,
                                        sandbox_teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
