/* SPDX-License-Identifier: Apache-2.0 */
/* The ledger: its tree against the definition of RFC 9162, and every way to tamper with it. */
#include "act/acts.h"
#include "ledger/ledger.h"
#include "ledger/tree.h"
#include "olvido/json.h"
#include "support/sandbox.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { LINES = 700 }; /* of outcomes: more than two tiles */

/* MTH of RFC 9162, section 2.1.1, as it is written there. */
static void plain_root(struct olv_hasher *h, uint8_t (*leaves)[OLV_SHA256_SIZE], uint64_t n,
                       uint8_t out[OLV_SHA256_SIZE])
{
    uint8_t node[1 + 2 * OLV_SHA256_SIZE] = {1};
    uint64_t k = 1;
    if (n == 1) {
        memcpy(out, leaves[0], OLV_SHA256_SIZE);
        return;
    }
    while (2 * k < n)
        k *= 2;
    plain_root(h, leaves, k, node + 1);
    plain_root(h, leaves + k, n - k, node + 1 + OLV_SHA256_SIZE);
    olv_sha256(h, node, sizeof node, out);
}

static void the_tree_is_that_of_the_standard_at_every_size(void **state)
{
    enum { MOST = 1300 };
    static uint8_t leaves[MOST][OLV_SHA256_SIZE];
    struct olv_hasher *h = olv_hasher_new();
    struct tree *tree = calloc(1, sizeof *tree);
    uint8_t root[OLV_SHA256_SIZE], expected[OLV_SHA256_SIZE];
    char hex[OLV_HEX_SIZE];
    (void)state;
    tree_begin(tree, h, false);
    tree_root(tree, root);
    olv_hex(root, sizeof root, hex);
    assert_string_equal(
        hex, "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"); /* of the empty tree */
    for (uint32_t i = 0; i < MOST; i++) {
        tree_leaf_hash(h, &i, sizeof i, leaves[i]);
        tree_add(tree, leaves[i]);
        tree_root(tree, root);
        plain_root(h, leaves, i + 1, expected);
        assert_memory_equal(root, expected, sizeof root);
    }
    tree_end(tree);
    free(tree);
    olv_hasher_free(h);
}

static void a_tree_goes_on_from_its_files(void **state)
{
    const struct sandbox *s = *state;
    struct olv_hasher *h = olv_hasher_new();
    struct tree *whole = calloc(1, sizeof *whole), *part = calloc(1, sizeof *part);
    uint8_t leaf[OLV_SHA256_SIZE], a[OLV_SHA256_SIZE], b[OLV_SHA256_SIZE];
    struct olv_error err = {0};
    int dir = open(s->path, O_RDONLY | O_DIRECTORY);
    tree_begin(whole, h, false);
    for (uint32_t i = 0; i < 70000; i++) { /* more than 256 tiles, so three levels */
        tree_leaf_hash(h, &i, sizeof i, leaf);
        if (i % 9973 == 0) {
            tree_end(part);
            tree_begin(part, h, true);
            assert_true(tree_load(part, dir, i, &err));
        }
        tree_add(whole, leaf);
        tree_add(part, leaf);
        if (i % 9973 == 9972)
            assert_true(tree_store(part, dir, &err));
    }
    tree_root(whole, a);
    tree_root(part, b);
    assert_memory_equal(a, b, sizeof a);
    assert_false(tree_load(part, dir, 70001, &err)); /* the files are shorter */
    tree_end(whole);
    tree_end(part);
    free(whole);
    free(part);
    close(dir);
    olv_hasher_free(h);
}

/* ---- a ledger with one run ---- */

static void write_outcome(struct olv_ledger *ledger, unsigned i)
{
    char path[64];
    struct olv_docket_entry e = {
        .number = i, .rule = 0, .step = 1, .rule_name = "scratch", .act = &act_discard};
    e.identity.size_bytes = i;
    snprintf(path, sizeof path, "/srv/tides/scratch/plot-%u.tmp", i);
    olv_ledger_outcome(ledger, &(struct olv_outcome_facts){.run = "20261003-1405-abcd",
                                                           .batch = 1,
                                                           .entry = &e,
                                                           .result = "done",
                                                           .reason = "",
                                                           .trash = "plot.tmp",
                                                           .trash_place = "",
                                                           .into = "",
                                                           .path = path});
}

static int ledger_setup(void **state)
{
    struct olv_error err = {0};
    struct olv_ledger *ledger;
    uint8_t digest[32] = {0};
    int dir;
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    mkdir(in(s, "state"), 0700);
    dir = open(in(s, "state"), O_RDONLY | O_DIRECTORY);
    ledger = olv_ledger_open(dir, &err);
    if (!ledger)
        return -1;
    olv_ledger_begin_run(
        ledger, &(struct olv_run_facts){"20261003-1405-abcd", "enforce", "/etc/olvido/policy.yaml", digest});
    for (unsigned i = 0; i < LINES; i++)
        write_outcome(ledger, i);
    olv_ledger_end_run(ledger, &(struct olv_end_facts){"20261003-1405-abcd", "finished", LINES, 0, 0, 0});
    if (!olv_ledger_sync(ledger, &err) || !olv_ledger_checkpoint(ledger, &err))
        return -1;
    olv_ledger_close(ledger);
    close(dir);
    return 0;
}

static struct olv_ledger_report verify(const struct sandbox *s)
{
    struct olv_ledger_report report;
    struct olv_error err = {0};
    if (!olv_ledger_verify(in(s, "state"), NULL, NULL, &report, &err))
        fail_msg("%s %s", err.what, err.path);
    return report;
}

static void a_ledger_that_nobody_touched_is_sound(void **state)
{
    struct olv_ledger_report r = verify(*state);
    assert_int_equal(r.fault, OLV_LEDGER_SOUND);
    assert_int_equal(r.lines, LINES + 2);
    assert_int_equal(r.covered, LINES + 2);
}

static const char FILE_OF_LINES[] = "state/ledger/lines-000000000000.jsonl";

static char *line_at(char *text, unsigned number)
{
    for (; number > 0; number--)
        text = strchr(text, '\n') + 1;
    return text;
}

static void assert_finding(const struct sandbox *s, enum olv_ledger_fault fault, uint64_t line)
{
    struct olv_ledger_report r = verify(s);
    if (r.fault != fault || r.fault_line != line)
        fail_msg("finding %d at line %llu (%s), expected %d at %llu", r.fault,
                 (unsigned long long)r.fault_line, r.detail, fault, (unsigned long long)line);
    if (fault != OLV_LEDGER_SOUND && fault != OLV_LEDGER_CHECKPOINT && fault != OLV_LEDGER_HASHES)
        assert_int_equal(r.fault_at, line + 1);
}

static void an_altered_line_is_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES);
    *strstr(line_at(text, 300), "\"size\":299") = 'x';
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    assert_finding(s, OLV_LEDGER_ALTERED, 300);
}

/* Whichever byte it is: of the first line, of one that is digested together with others, of the last. */
static void every_altered_byte_is_found_at_its_line(void **state)
{
    const struct sandbox *s = *state;
    static const unsigned numbers[] = {0, 63, 64, 300, LINES + 1};
    char *text = slurp(s, FILE_OF_LINES);
    size_t len = strlen(text);
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; i++) {
        char *line = line_at(text, numbers[i]), *end = strchr(line, '\n');
        for (char *at = line; at < end; at += 1 + (size_t)(end - at > 3 ? stride() : 1)) {
            char was = *at;
            *at = was == 'x' ? 'y' : 'x';
            overwrite(s, FILE_OF_LINES, text, len);
            assert_finding(s, OLV_LEDGER_ALTERED, numbers[i]);
            *at = was;
        }
        end[-1] = ']';
        overwrite(s, FILE_OF_LINES, text, len);
        assert_finding(s, OLV_LEDGER_ALTERED, numbers[i]);
        end[-1] = '}';
    }
    overwrite(s, FILE_OF_LINES, text, len);
    assert_int_equal(verify(s).fault, OLV_LEDGER_SOUND);
}

static void an_altered_name_is_noticed_though_the_tree_does_not_cover_it(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES);
    strstr(line_at(text, 300), "plot-")[5] = 'X';
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    assert_finding(s, OLV_LEDGER_ALTERED, 300);
}

static void a_name_can_be_taken_out_without_breaking_the_proof(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES), *open = strstr(line_at(text, 300), ",\"open\":"),
         *end = strchr(open, '\n');
    struct olv_ledger_report r;
    memmove(open + 1, end, strlen(end) + 1);
    open[0] = '}';
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    r = verify(s);
    assert_int_equal(r.fault, OLV_LEDGER_SOUND);
    assert_int_equal(r.removed_names, 1);
}

static void a_removed_line_is_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES), *line = line_at(text, 300), *next = line_at(text, 301);
    memmove(line, next, strlen(next) + 1);
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    assert_finding(s, OLV_LEDGER_REMOVED, 300);
}

static void removed_last_lines_are_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES);
    overwrite(s, FILE_OF_LINES, text, (size_t)(line_at(text, 690) - text));
    assert_finding(s, OLV_LEDGER_REMOVED, 690);
}

static void a_cut_last_line_is_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES);
    overwrite(s, FILE_OF_LINES, text, (size_t)(line_at(text, LINES + 1) - text));
    assert_finding(s, OLV_LEDGER_REMOVED, LINES + 1);
    overwrite(s, FILE_OF_LINES, text, strlen(text) - 1); /* its end alone */
    assert_finding(s, OLV_LEDGER_ALTERED, LINES + 1);
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    assert_int_equal(verify(s).fault, OLV_LEDGER_SOUND);
}

static void an_added_line_is_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES), *longer = calloc(1, strlen(text) + 100), *at = line_at(text, 300);
    memcpy(longer, text, (size_t)(at - text));
    strcat(longer, "{\"line\":300,\"kind\":\"outcome\"}\n");
    strcat(longer, at);
    overwrite(s, FILE_OF_LINES, longer, strlen(longer));
    assert_finding(s, OLV_LEDGER_ADDED, 300);
    free(longer);
}

static void a_line_added_at_the_end_is_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES), *longer = calloc(1, strlen(text) + 100);
    sprintf(longer, "%s{\"line\":702}\n", text);
    overwrite(s, FILE_OF_LINES, longer, strlen(longer));
    assert_finding(s, OLV_LEDGER_ADDED, LINES + 2);
    free(longer);
}

static void exchanged_lines_are_named(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES), *other = strdup(text), *a = line_at(text, 300),
         *b = line_at(text, 301), *c = line_at(text, 302);
    size_t at = (size_t)(a - text), first = (size_t)(b - a), second = (size_t)(c - b);
    memcpy(other + at, b, second);
    memcpy(other + at + second, a, first);
    overwrite(s, FILE_OF_LINES, other, strlen(other));
    assert_finding(s, OLV_LEDGER_REORDERED, 300);
    free(other);
}

/* Stored hashes are a copy of what the lines say: without them the lines answer for themselves, and where
 * those were altered, too, that is told. */
static void a_forged_tree_does_not_fit_the_signature(void **state)
{
    const struct sandbox *s = *state;
    int fd = open(in(s, "state/ledger/hashes-0"), O_WRONLY);
    char *text;
    assert_int_equal(pwrite(fd, "forged", 6, 300 * 32), 6);
    close(fd);
    assert_finding(s, OLV_LEDGER_SOUND, 0);
    text = slurp(s, FILE_OF_LINES);
    *strstr(line_at(text, 300), "\"kind\"") = '-';
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    assert_finding(s, OLV_LEDGER_HASHES, 0);
}

static void a_forged_checkpoint_has_no_good_signature(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, "state/ledger/checkpoint");
    *strstr(text, "\n702\n") = 'x';
    overwrite(s, "state/ledger/checkpoint", text, strlen(text));
    assert_finding(s, OLV_LEDGER_CHECKPOINT, 0);
    unlink(in(s, "state/ledger/checkpoint"));
    assert_finding(s, OLV_LEDGER_CHECKPOINT, 0);
}

static struct olv_ledger *reopen(const struct sandbox *s, struct olv_error *err)
{
    int dir = open(in(s, "state"), O_RDONLY | O_DIRECTORY);
    struct olv_ledger *ledger = olv_ledger_open(dir, err);
    close(dir);
    return ledger;
}

static void lost_or_forged_hashes_are_made_anew(void **state)
{
    static const char *const names[] = {"state/ledger/hashes-0", "state/ledger/hashes-1"};
    const struct sandbox *s = *state;
    for (size_t i = 0; i < 4; i++) {
        const char *name = names[i % 2];
        struct olv_error err = {0};
        struct olv_ledger *ledger;
        char *before = slurp(s, name), *after;
        struct stat stat, again;
        assert_int_equal(lstat(in(s, name), &stat), 0);
        if (i < 2)
            unlink(in(s, name));
        else
            overwrite(s, name, "forged", 6);
        ledger = reopen(s, &err);
        if (!ledger)
            fail_msg("%s: %s", name, err.what);
        olv_ledger_close(ledger);
        assert_int_equal(lstat(in(s, name), &again), 0);
        assert_int_equal(again.st_size, stat.st_size);
        after = slurp(s, name);
        assert_memory_equal(before, after, (size_t)stat.st_size);
        assert_finding(s, OLV_LEDGER_SOUND, 0);
    }
}

/* Hashes that are gone cannot hide lines that are not those that were signed. */
static void hashes_are_not_made_of_other_lines(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    char *text = slurp(s, FILE_OF_LINES);
    *strstr(line_at(text, 300), "\"kind\"") = '-';
    overwrite(s, FILE_OF_LINES, text, strlen(text));
    unlink(in(s, "state/ledger/hashes-0"));
    assert_null(reopen(s, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    assert_false(exists(s, "state/ledger/hashes-0"));
}

static void nothing_is_appended_to_a_ledger_that_was_cut(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    char *text = slurp(s, FILE_OF_LINES);
    overwrite(s, FILE_OF_LINES, text, (size_t)(line_at(text, 690) - text));
    assert_null(reopen(s, &err));
    assert_int_equal(err.code, OLV_BROKEN);
    unlink(in(s, "state/ledger/checkpoint"));
    assert_null(reopen(s, &err));
    assert_int_equal(err.code, OLV_BROKEN);
}

static void a_torn_tail_is_cut_off_and_recorded(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    struct olv_ledger *ledger;
    char *text = slurp(s, FILE_OF_LINES), *longer = calloc(1, strlen(text) + 100);
    sprintf(longer, "%s{\"line\":702,\"time\":\"20", text);
    overwrite(s, FILE_OF_LINES, longer, strlen(longer));
    ledger = reopen(s, &err);
    assert_non_null(ledger);
    assert_true(olv_ledger_sync(ledger, &err));
    assert_true(olv_ledger_checkpoint(ledger, &err));
    olv_ledger_close(ledger);
    text = slurp(s, FILE_OF_LINES);
    assert_contains(line_at(text, LINES + 2), "\"kind\":\"repair\",\"cut_bytes\":22");
    assert_int_equal(verify(s).fault, OLV_LEDGER_SOUND);
    free(longer);
}

/* ---- volumes ---- */

/* Adds lines with a long name until the volume is full, with 64 MiB; how many. */
static unsigned fill_volume(struct olv_ledger *ledger)
{
    static char name[4000];
    unsigned lines = 0;
    struct olv_error err = {0};
    struct olv_docket_entry e = {.rule = OLV_BY_HAND, .act = &act_discard};
    struct olv_outcome_facts facts = {.run = "20261003-1405-abcd",
                                      .entry = &e,
                                      .result = "done",
                                      .reason = "",
                                      .trash = "",
                                      .trash_place = "",
                                      .into = "",
                                      .path = name};
    memset(name, 'g', sizeof name - 1);
    name[0] = '/';
    for (; !olv_ledger_is_volume_full(ledger); lines += 1000) {
        for (int i = 0; i < 1000; i++)
            olv_ledger_outcome(ledger, &facts);
        assert_true(olv_ledger_sync(ledger, &err));
    }
    return lines;
}

/* Something else stands where the next volume is to be: the ledger goes on in the old one, and turns as soon
 * as that can be. */
static void a_segment_that_cannot_be_begun_is_tried_again(void **state)
{
    const struct sandbox *s = *state;
    struct olv_error err = {0};
    int dir = open(in(s, "state"), O_RDONLY | O_DIRECTORY);
    struct olv_ledger *ledger = olv_ledger_open(dir, &err);
    unsigned lines = LINES + 2; /* which are numbered from 0 */
    char next[80];
    assert_non_null(ledger);
    lines += fill_volume(ledger);
    snprintf(next, sizeof next, "state/ledger/lines-%012u.jsonl", lines);
    make_dir(s, next);
    assert_false(olv_ledger_checkpoint(ledger, &err));
    assert_int_equal(err.code, OLV_SYSTEM);
    write_outcome(ledger, 1);
    assert_true(olv_ledger_sync(ledger, &err));
    assert_true(olv_ledger_is_volume_full(ledger));
    assert_int_equal(rmdir(in(s, next)), 0);
    assert_true(olv_ledger_checkpoint(ledger, &err));
    assert_false(olv_ledger_is_volume_full(ledger));
    write_outcome(ledger, 2);
    assert_true(olv_ledger_sync(ledger, &err) && olv_ledger_checkpoint(ledger, &err));
    olv_ledger_close(ledger);
    close(dir);
    assert_int_equal(verify(s).fault, OLV_LEDGER_SOUND);
    assert_int_equal(count_entries(s, "state/ledger"), 2 + 2 + 1 + 1); /* lines, hashes, index, checkpoint */
}

static void every_line_is_json_with_its_members_in_order(void **state)
{
    const struct sandbox *s = *state;
    char *text = slurp(s, FILE_OF_LINES), *line = strtok(text, "\n");
    unsigned number = 0;
    for (; line; line = strtok(NULL, "\n"), number++) {
        json_t *json = json_loads(line, JSON_REJECT_DUPLICATES, NULL);
        char start[40];
        assert_non_null(json);
        snprintf(start, sizeof start, "{\"line\":%u,\"time\":\"", number);
        assert_int_equal(strncmp(line, start, strlen(start)), 0);
        json_decref(json);
    }
    assert_int_equal(number, LINES + 2);
}

#define TEST(f)   cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)
#define LEDGER(f) cmocka_unit_test_setup_teardown(f, ledger_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_tree_is_that_of_the_standard_at_every_size),
        TEST(a_tree_goes_on_from_its_files),
        LEDGER(a_ledger_that_nobody_touched_is_sound),
        LEDGER(an_altered_line_is_named),
        LEDGER(every_altered_byte_is_found_at_its_line),
        LEDGER(an_altered_name_is_noticed_though_the_tree_does_not_cover_it),
        LEDGER(a_name_can_be_taken_out_without_breaking_the_proof),
        LEDGER(a_removed_line_is_named),
        LEDGER(removed_last_lines_are_named),
        LEDGER(a_cut_last_line_is_named),
        LEDGER(an_added_line_is_named),
        LEDGER(a_line_added_at_the_end_is_named),
        LEDGER(exchanged_lines_are_named),
        LEDGER(a_forged_tree_does_not_fit_the_signature),
        LEDGER(a_forged_checkpoint_has_no_good_signature),
        LEDGER(nothing_is_appended_to_a_ledger_that_was_cut),
        LEDGER(lost_or_forged_hashes_are_made_anew),
        LEDGER(hashes_are_not_made_of_other_lines),
        LEDGER(a_torn_tail_is_cut_off_and_recorded),
        LEDGER(a_segment_that_cannot_be_begun_is_tried_again),
        LEDGER(every_line_is_json_with_its_members_in_order),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
