/* SPDX-License-Identifier: Apache-2.0 */
/* What stands behind the last checkpoint, whether the ledger is the newest that there was, and whether it is
 * the one of which a checkpoint was kept elsewhere. */
#include "act/acts.h"
#include "base/digest.h"
#include "ledger/index.h"
#include "ledger/ledger.h"
#include "os/database.h"
#include "support/sandbox.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#define RUN   "20261003-1405-abcd"
#define OTHER "20261003-1406-efgh"
static const char DOCKET[] = "what is to be done with the readings";
static const char LINES_FILE[] = "state/ledger/lines-000000000000.jsonl";

enum { DECISIONS = 5 };

static struct olv_ledger *open_it(const struct sandbox *s, struct olv_error *err)
{
    int dir = open(in(s, "state"), O_RDONLY | O_DIRECTORY);
    struct olv_ledger *ledger = olv_ledger_open(dir, err);
    close(dir);
    return ledger;
}

static void begin(struct olv_ledger *l, const char *run)
{
    olv_ledger_begin_run(l, &(struct olv_run_facts){run, "enforce", NULL, NULL});
}

static void intend(struct olv_ledger *l, const char *run, uint64_t batch)
{
    struct olv_intent_facts facts = {run, batch, DECISIONS, {0}};
    olv_sha256_once(DOCKET, sizeof DOCKET - 1, facts.segment);
    olv_ledger_intent(l, &facts);
}

static void tell(struct olv_ledger *l, const char *run, uint64_t batch, uint32_t entry)
{
    struct olv_docket_entry e = {.number = entry, .rule = OLV_BY_HAND, .act = &act_discard};
    olv_ledger_outcome(l, &(struct olv_outcome_facts){.run = run,
                                                      .batch = batch,
                                                      .entry = &e,
                                                      .result = "done",
                                                      .reason = "",
                                                      .trash = "",
                                                      .trash_place = "",
                                                      .into = "",
                                                      .path = "/srv/tides/plot.tmp"});
}

static void end(struct olv_ledger *l, const char *run)
{
    olv_ledger_end_run(l, &(struct olv_end_facts){run, "finished", 0, 0, 0, 0});
}

static void sign(struct olv_ledger *l)
{
    struct olv_error err = {0};
    assert_true(olv_ledger_sync(l, &err) && olv_ledger_checkpoint(l, &err));
}

static void leave(struct olv_ledger *l)
{
    struct olv_error err = {0};
    assert_true(olv_ledger_sync(l, &err));
    olv_ledger_close(l);
}

/* A run that has begun, with a docket, and told of two of its entries: all that is signed. It is open. */
static int run_setup(void **state)
{
    struct olv_error err = {0};
    struct olv_ledger *l;
    const struct sandbox *s;
    char path[64];
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    mkdir(in(s, "state"), 0700);
    mkdir(in(s, "state/runs"), 0700);
    for (int i = 0; i < 2; i++) {
        snprintf(path, sizeof path, "state/runs/%s", i ? OTHER : RUN);
        mkdir(in(s, path), 0700);
        strcat(path, "/000001.docket");
        overwrite(s, path, DOCKET, sizeof DOCKET - 1);
    }
    snprintf(path, sizeof path, "state/runs/%s/000002.docket", RUN);
    overwrite(s, path, DOCKET, sizeof DOCKET - 1);
    overwrite(s, "state/runs/open", RUN, strlen(RUN));
    l = open_it(s, &err);
    if (!l)
        return -1;
    begin(l, RUN);
    intend(l, RUN, 1);
    tell(l, RUN, 1, 0);
    tell(l, RUN, 1, 1);
    sign(l);
    olv_ledger_close(l);
    return 0;
}

static struct olv_ledger_report verify(const struct sandbox *s, const char *against)
{
    struct olv_ledger_report report;
    struct olv_error err = {0};
    if (!olv_ledger_verify(in(s, "state"), against, NULL, &report, &err))
        fail_msg("%s %s", err.what, err.path);
    return report;
}

/* Nothing is signed: the ledger does not open, and verifying names the line. */
static void assert_refused(const struct sandbox *s, enum olv_ledger_fault fault, uint64_t line,
                           const char *why)
{
    struct olv_error err = {0};
    struct olv_ledger_report r = verify(s, NULL);
    assert_int_equal(r.fault, fault);
    assert_int_equal(r.fault_line, line);
    assert_contains(r.detail, why);
    assert_null(open_it(s, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    assert_contains(err.what, why);
}

/* Of more bytes than a run reads at once. */
static void a_docket_of_any_length_is_compared(void **state)
{
    enum { LENGTH = 65 << 20 };
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger *l = open_it(s, &err);
    struct olv_intent_facts facts = {RUN, 2, DECISIONS, {0}};
    struct olv_hasher *hasher = olv_hasher_new();
    struct olv_ledger_report r;
    const char *docket = in(s, "state/runs/" RUN "/000002.docket");
    int fd = open(docket, O_WRONLY);
    olv_hasher_begin(hasher);
    olv_hasher_add(hasher, DOCKET, sizeof DOCKET - 1);
    olv_hasher_fill(hasher, LENGTH);
    olv_hasher_end(hasher, facts.segment);
    olv_hasher_free(hasher);
    assert_int_equal(ftruncate(fd, LENGTH), 0);
    olv_ledger_intent(l, &facts);
    sign(l);
    olv_ledger_close(l);
    r = verify(s, NULL);
    assert_int_equal(r.fault, OLV_LEDGER_SOUND);
    assert_int_equal(r.segments, 2);
    assert_int_equal(pwrite(fd, "x", 1, LENGTH - 1), 1);
    close(fd);
    r = verify(s, NULL);
    assert_int_not_equal(r.fault, OLV_LEDGER_SOUND);
    assert_contains(r.detail, "docket");
}

static void lines_of_the_open_run_are_taken_up_again(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger *l = open_it(s, &err);
    tell(l, RUN, 1, 4);
    intend(l, RUN, 2);
    tell(l, RUN, 2, 0);
    end(l, RUN);
    leave(l); /* as after a crash: no checkpoint */
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
    l = open_it(s, &err);
    assert_non_null(l);
    sign(l);
    olv_ledger_close(l);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
    assert_int_equal(verify(s, NULL).covered, 8);
}

static void a_run_may_begin_behind_the_checkpoint(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger *l = open_it(s, &err);
    overwrite(s, "state/runs/open", OTHER, strlen(OTHER));
    begin(l, OTHER);
    intend(l, OTHER, 1);
    tell(l, OTHER, 1, 0);
    leave(l);
    l = open_it(s, &err);
    assert_non_null(l);
    sign(l);
    olv_ledger_close(l);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
}

/* One after the other: what is added, and why it is refused. */
static void what_no_open_run_wrote_is_not_signed(void **state)
{
    enum what { BEGIN, INTENT, OUTCOME, TWICE };
    static const struct {
        enum what what;
        const char *run;
        uint32_t batch, entry;
        const char *open, *why;
        uint64_t line;
    } rows[] = {{OUTCOME, RUN, 1, 2, NULL, "no run is open", 4},
                {OUTCOME, OTHER, 1, 2, RUN, "another run than the open one", 4},
                {OUTCOME, OTHER, 1, 0, OTHER, "has not begun", 4},
                {BEGIN, RUN, 0, 0, RUN, "had begun already", 4},
                {OUTCOME, RUN, 1, DECISIONS, RUN, "no entry of a docket", 4},
                {OUTCOME, RUN, 2, 0, RUN, "no entry of a docket", 4},
                {OUTCOME, RUN, 1, 1, RUN, "has an outcome already", 4},
                {TWICE, RUN, 1, 3, RUN, "has an outcome already", 5},
                {INTENT, RUN, 3, 0, RUN, "docket", 4}};
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    char *was = slurp(s, LINES_FILE);
    size_t len = strlen(was);
    for (size_t i = 0; i < sizeof rows / sizeof *rows; i++) {
        struct olv_ledger *l;
        overwrite(s, LINES_FILE, was, len);
        overwrite(s, "state/runs/open", RUN, strlen(RUN));
        l = open_it(s, &err);
        assert_non_null(l);
        if (rows[i].what == BEGIN)
            begin(l, rows[i].run);
        else if (rows[i].what == INTENT)
            intend(l, rows[i].run, rows[i].batch);
        for (enum what w = OUTCOME; w <= rows[i].what; w++)
            tell(l, rows[i].run, rows[i].batch, rows[i].entry);
        leave(l);
        if (rows[i].open)
            overwrite(s, "state/runs/open", rows[i].open, strlen(rows[i].open));
        else
            assert_int_equal(unlink(in(s, "state/runs/open")), 0);
        assert_refused(s, rows[i].what == INTENT ? OLV_LEDGER_DOCKET : OLV_LEDGER_ADDED, rows[i].line,
                       rows[i].why);
        assert_true(strlen(slurp(s, LINES_FILE)) > len); /* and it is still there to look at */
    }
}

/* ---- an older ledger ---- */

/* The run ends, and state/older is a copy of the ledger from before. */
static void end_and_keep_older(const struct sandbox *s)
{
    struct olv_error err = {0};
    struct olv_ledger *l;
    char command[256];
    snprintf(command, sizeof command, "cd %s/state && cp -a ledger older", s->path);
    assert_int_equal(system(command), 0);
    l = open_it(s, &err);
    end(l, RUN);
    sign(l);
    olv_ledger_close(l);
}

static void an_older_ledger_is_noticed(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger *l;
    char command[256];
    end_and_keep_older(s);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
    snprintf(command, sizeof command, "cd %s/state && mv ledger newer && mv older ledger", s->path);
    assert_int_equal(system(command), 0);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_CHECKPOINT);
    assert_contains(verify(s, NULL).detail, "older than the runs beside it: 4 lines are signed, and 5 were");
    assert_null(open_it(s, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    snprintf(command, sizeof command, "cd %s/state && rm -r ledger && mv newer ledger", s->path);
    assert_int_equal(system(command), 0);
    l = open_it(s, &err);
    assert_non_null(l);
    olv_ledger_close(l);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
}

/* ---- a checkpoint that was kept elsewhere ---- */

static void a_kept_checkpoint_tells_whether_it_is_the_same_ledger(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger_report r;
    struct olv_ledger *l;
    char *kept = slurp(s, "state/ledger/checkpoint"), command[400], path[128];
    overwrite(s, "kept", kept, strlen(kept));
    snprintf(path, sizeof path, "%s", in(s, "kept"));
    l = open_it(s, &err);
    for (uint32_t i = 2; i < DECISIONS; i++)
        tell(l, RUN, 1, i);
    end(l, RUN);
    sign(l);
    olv_ledger_close(l);
    unlink(in(s, "state/runs/open"));
    r = verify(s, path);
    assert_int_equal(r.fault, OLV_LEDGER_SOUND);
    assert_int_equal(r.against, 4);
    kept = slurp(s, "state/ledger/checkpoint"); /* the newest */
    overwrite(s, "newest", kept, strlen(kept));
    assert_int_equal(verify(s, in(s, "newest")).fault, OLV_LEDGER_SOUND);

    /* whoever has the key makes a ledger anew, with other lines: sound by itself */
    snprintf(command, sizeof command,
             "cd %s/state && rm -r ledger/lines* ledger/hashes* runs/checkpoint && "
             "cp ledger/checkpoint ../signed && rm ledger/checkpoint",
             s->path);
    assert_int_equal(system(command), 0);
    l = open_it(s, &err);
    assert_non_null(l);
    begin(l, OTHER);
    for (int i = 0; i < 20; i++)
        end(l, OTHER);
    sign(l);
    olv_ledger_close(l);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
    r = verify(s, path);
    assert_int_equal(r.fault, OLV_LEDGER_AGAINST);
    assert_contains(r.detail, "the first 4 lines are not those");

    /* one that was cut */
    snprintf(command, sizeof command, "cd %s/state && rm -r ledger keys runs/checkpoint", s->path);
    assert_int_equal(system(command), 0);
    l = open_it(s, &err);
    assert_non_null(l);
    begin(l, OTHER);
    sign(l);
    olv_ledger_close(l);
    r = verify(s, path);
    assert_int_equal(r.fault, OLV_LEDGER_AGAINST); /* with another key */
    assert_contains(r.detail, "not signed by this ledger's key");
}

static void a_kept_checkpoint_may_be_newer(void **state)
{
    const struct sandbox *s = *state;
    struct olv_ledger_report r;
    char command[256];
    end_and_keep_older(s);
    snprintf(command, sizeof command,
             "cd %s/state && cp ledger/checkpoint ../kept && rm -r ledger runs/checkpoint && mv older ledger",
             s->path);
    assert_int_equal(system(command), 0);
    r = verify(s, in(s, "kept"));
    assert_int_equal(r.fault, OLV_LEDGER_AGAINST);
    assert_contains(r.detail, "older than the checkpoint that was kept elsewhere");
}

static void what_is_no_checkpoint_is_told(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger_report report;
    assert_false(olv_ledger_verify(in(s, "state"), in(s, "nothing"), NULL, &report, &err));
    assert_int_equal(err.sys, 2);
    assert_contains(err.path, "nothing");
    overwrite(s, "kept", "tides\n", 6);
    assert_int_equal(verify(s, in(s, "kept")).fault, OLV_LEDGER_AGAINST);
}

/* ---- indexes ---- */

/* Whether each path of the lines is found, in the one block that there is. */
static bool finds_all(int dir)
{
    static const char *const paths[] = {"/srv/tides/plot.tmp", "/srv/tides", "/srv"};
    bool all = true;
    for (size_t i = 0; i < sizeof paths / sizeof *paths; i++) {
        uint32_t *blocks;
        size_t count;
        if (ledger_index_find(dir, 0, paths[i], strlen(paths[i]), &blocks,
                              &count)) /* else all are searched */
            all = all && count == 1 && blocks[0] == 0;
        free(blocks);
    }
    return all;
}

/* Each byte of it that matters, and some that none reads. */
static void an_index_that_hides_a_line_is_noticed(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct database index = {.what = "the index"};
    char path[64] = "state/ledger/index-000000000000";
    int dir = open(in(s, "state/ledger"), O_RDONLY | O_DIRECTORY), fd;
    unsigned noticed = 0;
    struct stat st;
    assert_true(ledger_index_is_right(dir, 0)); /* there is none */
    ledger_index_build(dir, 0);
    assert_true(ledger_index_is_right(dir, 0) && finds_all(dir));
    fd = open(in(s, path), O_RDWR);
    assert_int_equal(fstat(fd, &st), 0);
    for (off_t at = 0; at < st.st_size; at++) {
        char was, now;
        bool is_right;
        assert_int_equal(pread(fd, &was, 1, at), 1);
        now = (char)(was ^ 1);
        assert_int_equal(pwrite(fd, &now, 1, at), 1);
        is_right = ledger_index_is_right(dir, 0);
        assert_true(!is_right || finds_all(dir));
        noticed += !is_right;
        assert_int_equal(pwrite(fd, &was, 1, at), 1);
    }
    assert_true(noticed > 16 + 3 * 8); /* the salt, and three digests */
    assert_true(ledger_index_is_right(dir, 0));
    close(fd);
    close(dir);
    assert_true(database_open(&index, in(s, "state/ledger"), "index-000000000000", false, &err));
    assert_true(
        database_run(&index, "UPDATE lines SET entries = substr(entries, 13) WHERE rowid = 1", &err, ""));
    assert_int_equal(sqlite3_changes(index.db), 1);
    assert_true(database_run(&index, "PRAGMA journal_mode = DELETE", &err, ""));
    database_close(&index);

    /* of a closed volume: here a second one, in which there is no line yet */
    overwrite(s, "state/ledger/lines-000000000004.jsonl", "", 0);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_INDEX);
    assert_contains(verify(s, NULL).fault_file, "index-000000000000");
    assert_int_equal(unlink(in(s, path)), 0);
    assert_int_equal(verify(s, NULL).fault, OLV_LEDGER_SOUND);
}

#define RUNS(f) cmocka_unit_test_setup_teardown(f, run_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        RUNS(a_docket_of_any_length_is_compared),
        RUNS(lines_of_the_open_run_are_taken_up_again),
        RUNS(a_run_may_begin_behind_the_checkpoint),
        RUNS(what_no_open_run_wrote_is_not_signed),
        RUNS(an_older_ledger_is_noticed),
        RUNS(a_kept_checkpoint_tells_whether_it_is_the_same_ledger),
        RUNS(a_kept_checkpoint_may_be_newer),
        RUNS(what_is_no_checkpoint_is_told),
        RUNS(an_index_that_hides_a_line_is_noticed),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
