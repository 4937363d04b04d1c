/* SPDX-License-Identifier: Apache-2.0 */
/* Finding lines in the ledger, with its index and without. */
#include "act/acts.h"
#include "ledger/index.h"
#include "ledger/ledger.h"
#include "support/sandbox.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { LINES = 3000 };

/* 3,000 outcomes in ten directories, by three runs, written as if by one. */
static int setup(void **state)
{
    struct olv_error err = {0};
    struct olv_ledger *ledger;
    const struct sandbox *s;
    int dir;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "state");
    dir = open(in(s, "state"), O_RDONLY | O_DIRECTORY);
    ledger = olv_ledger_open(dir, &err);
    assert_non_null(ledger);
    for (unsigned i = 0; i < LINES; i++) {
        char path[64];
        struct olv_docket_entry e = {.number = i,
                                     .step = 1,
                                     .rule_name = i % 2 ? "odd" : "even",
                                     .act = i % 5 ? &act_discard : &act_tell};
        const char *run = i < 1000   ? "20260101-0000-aaaa"
                          : i < 2000 ? "20260101-0000-bbbb"
                                     : "20260101-0000-cccc";
        snprintf(path, sizeof path, "/srv/tides/d%u/\"p\\lot-%u\xE9.tmp", i % 10, i);
        olv_ledger_outcome(ledger, &(struct olv_outcome_facts){.run = run,
                                                               .batch = 1,
                                                               .entry = &e,
                                                               .result = i % 7 ? "done" : "failed",
                                                               .reason = "",
                                                               .trash = "",
                                                               .trash_place = "",
                                                               .path = path});
    }
    assert_true(olv_ledger_sync(ledger, &err) && olv_ledger_checkpoint(ledger, &err));
    olv_ledger_close(ledger);
    close(dir);
    return 0;
}

struct found {
    unsigned count;
    uint64_t first;
};

static bool count(void *self, const struct olv_ledger_record *record)
{
    struct found *found = self;
    if (found->count++ == 0)
        found->first = record->line;
    return true;
}

static struct found search(const struct sandbox *s, struct olv_ledger_query query)
{
    struct found found = {0};
    struct olv_error err = {0};
    if (!olv_ledger_search(in(s, "state"), &query, count, &found, &err))
        fail_msg("%s", err.what);
    return found;
}

static bool has_no_names(void *self, const struct olv_ledger_record *record)
{
    assert_string_equal(record->path, "");
    assert_true(*record->act && *record->result && *record->run);
    return count(self, record);
}

/* All else of a line is read as ever. */
static void names_can_be_left_unread(void **state)
{
    const struct sandbox *s = *state;
    struct olv_ledger_query query = {.run = "20260101-0000-bbbb", .without_names = true};
    struct found found = {0};
    struct olv_error err = {0};
    assert_true(olv_ledger_search(in(s, "state"), &query, has_no_names, &found, &err));
    assert_int_equal(found.count, 1000);
}

static void build_index(const struct sandbox *s)
{
    int dir = open(in(s, "state/ledger"), O_RDONLY | O_DIRECTORY);
    ledger_index_build(dir, 0);
    close(dir);
    assert_true(exists(s, "state/ledger/index-000000000000"));
}

static void every_question_is_answered(const struct sandbox *s)
{
    const char *tell = "tell", *results[] = {"failed", "told"};
    struct olv_instant now = {0}, later = {0};
    size_t at;
    assert_int_equal(search(s, (struct olv_ledger_query){0}).count, LINES);
    assert_int_equal(search(s, (struct olv_ledger_query){.run = "20260101-0000-bbbb"}).count, 1000);
    assert_int_equal(search(s, (struct olv_ledger_query){.run = "20260101-0000-bbb"}).count, 0);
    assert_int_equal(search(s, (struct olv_ledger_query){.rule = "odd"}).count, 1500);
    assert_int_equal(search(s, (struct olv_ledger_query){.acts = &tell, .act_count = 1}).count, 600);
    assert_int_equal(search(s, (struct olv_ledger_query){.results = results, .result_count = 2}).count, 429);
    assert_int_equal(search(s, (struct olv_ledger_query){.rule = "odd", .run = "20260101-0000-aaaa"}).count,
                     500);
    assert_int_equal(search(s, (struct olv_ledger_query){.path = "/srv/tides/d3"}).count, 300);
    assert_int_equal(search(s, (struct olv_ledger_query){.path = "/srv/tides"}).count, LINES);
    assert_int_equal(search(s, (struct olv_ledger_query){.path = "/"}).count, LINES);
    assert_int_equal(search(s, (struct olv_ledger_query){.path = "/srv/tide"}).count, 0);
    assert_int_equal(
        search(s, (struct olv_ledger_query){.path = "/srv/tides/d3/\"p\\lot-1993\xE9.tmp"}).first, 1993);
    assert_int_equal(
        search(s, (struct olv_ledger_query){.path = "/srv/tides/d3/\"p\\lot-1993\xE9.tmp"}).count, 1);
    assert_int_equal(
        search(s, (struct olv_ledger_query){.path = "/srv/tides/d3/\"p\\lot-1993\xE8.tmp"}).count, 0);
    assert_true(olv_instant_parse("2020-01-01", 10, &now, &at) &&
                olv_instant_parse("2100-01-01", 10, &later, &at));
    assert_int_equal(search(s, (struct olv_ledger_query){.has_until = true, .until = now}).count, 0);
    assert_int_equal(search(s, (struct olv_ledger_query){.has_since = true, .since = now}).count, LINES);
    assert_int_equal(search(s, (struct olv_ledger_query){.has_since = true, .since = later}).count, 0);
}

static void lines_are_found_by_their_bytes(void **state)
{
    every_question_is_answered(*state);
}

static void lines_are_found_by_the_index_just_the_same(void **state)
{
    build_index(*state);
    every_question_is_answered(*state);
}

/* What was written last before a crash, and is not whole, is no line yet, whatever is asked for. */
static void a_torn_tail_is_passed_over(void **state)
{
    static const char torn[] = "{\"line\":9999,\"time\":\"2026-10-03T00:00:00Z\",\"kind\":\"outcome\","
                               "\"run\":\"20260101-0000-bbbb\","
                               "\"rule\":\"odd\",\"open\":{\"path\":\"/srv/tides/d3/x";
    const struct sandbox *s = *state;
    char *text = slurp(s, "state/ledger/lines-000000000000.jsonl"),
         *longer = malloc(strlen(text) + sizeof torn);
    assert_non_null(longer);
    sprintf(longer, "%s%s", text, torn);
    overwrite(s, "state/ledger/lines-000000000000.jsonl", longer, strlen(longer));
    free(longer);
    every_question_is_answered(s);
}

static void an_index_leads_to_few_blocks(void **state)
{
    const struct sandbox *s = *state;
    int dir = open(in(s, "state/ledger"), O_RDONLY | O_DIRECTORY);
    static const char path[] = "/srv/tides/d3/\\\"p\\\\lot-1993\xEF\xBF\xBD.tmp";
    uint32_t *blocks;
    size_t blocks_count;
    build_index(s);
    assert_true(ledger_index_find(dir, 0, path, sizeof path - 1, &blocks, &blocks_count));
    assert_int_equal(blocks_count, 1);
    free(blocks);
    assert_true(ledger_index_find(dir, 0, "/srv/none", 9, &blocks, &blocks_count));
    assert_int_equal(blocks_count, 0);
    free(blocks);
    close(dir);
}

/* Every directory of a path that is longer than a call takes, and nothing else that it begins with. */
static void a_deep_path_is_indexed_at_every_directory(void **state)
{
    enum { DEPTH = 60, NAME = 100 };
    const struct sandbox *s = *state;
    struct olv_text lines = {0}, path = {0};
    int dir = open(in(s, "state/ledger"), O_RDONLY | O_DIRECTORY);
    char *before = slurp(s, "state/ledger/lines-000000000000.jsonl");
    for (int i = 0; i < DEPTH; i++)
        olv_text_printf(&path, "/%0*d", NAME - 1, i);
    olv_text_printf(&lines,
                    "%s{\"line\":9999,\"time\":\"2026-10-03T00:00:00Z\",\"kind\":\"outcome\","
                    "\"sealed\":\"0\",\"open\":{\"path\":\"%s/f\"}}\n",
                    before, olv_text_string(&path));
    overwrite(s, "state/ledger/lines-000000000000.jsonl", lines.data, lines.len);
    build_index(s);
    for (size_t len = 1; len <= path.len; len++) {
        uint32_t *blocks;
        size_t count;
        assert_true(ledger_index_find(dir, 0, path.data, len, &blocks, &count));
        assert_int_equal(count, len % NAME == 0);
        free(blocks);
        if (len % NAME == 1)
            len += NAME - 3;
    }
    olv_text_free(&lines);
    olv_text_free(&path);
    close(dir);
}

/* The path of a line among branches that begin alike: some long, some short, side by side and back again. */
enum { MANY = 4000, STEP = 397, ONCE = 4 * STEP };

static void branch_path(struct olv_text *out, unsigned line)
{
    static const char *const tops[] = {"/srv/a", "/srv/ab", "/srv/a/b", "/srv/b"};
    unsigned depth = line * 7 % 29, top = line / 5 % 4;
    olv_text_clear(out);
    if (line == ONCE - 1 || line == ONCE) { /* a directory that is the beginning of the name before it */
        olv_text_puts(out, line == ONCE ? "/once/ab/x/f" : "/once/abc/f");
        return;
    }
    olv_text_puts(out, tops[top]);
    for (unsigned i = 0; i < depth; i++)
        olv_text_printf(out, "/%0*u", 30 + (int)(i % 3), line / 400 % 2 ? i : i + top);
    olv_text_printf(out, "/f%u", line);
}

struct written {
    char *path;
    uint32_t block;
};

/* The blocks of lines about this path or what is below it, by looking at all of them. */
static size_t blocks_of(const struct written lines[MANY], const char *path, size_t len, uint32_t out[])
{
    size_t count = 0;
    for (unsigned i = 0; i < MANY; i++)
        if (strncmp(lines[i].path, path, len) == 0 && (lines[i].path[len] == '/' || !lines[i].path[len]) &&
            (count == 0 || out[count - 1] != lines[i].block))
            out[count++] = lines[i].block;
    return count;
}

static void write_branches(const struct sandbox *s, struct written lines[MANY])
{
    struct olv_text text = {0}, path = {0};
    for (unsigned i = 0; i < MANY; i++) {
        branch_path(&path, i);
        lines[i] = (struct written){strdup(path.data), (uint32_t)(text.len / 262144)};
        olv_text_printf(&text,
                        "{\"line\":%u,\"time\":\"2026-10-03T00:00:00Z\",\"kind\":\"outcome\","
                        "\"sealed\":\"0\",\"open\":{\"path\":\"%s\"}}\n",
                        i, path.data);
    }
    assert_true(text.len > 7 * 262144);
    overwrite(s, "state/ledger/lines-000000000000.jsonl", text.data, text.len);
    olv_text_free(&text);
    olv_text_free(&path);
}

static void each_directory_leads_to_the_blocks_that_have_it(void **state)
{
    static struct written lines[MANY];
    const struct sandbox *s = *state;
    int dir = open(in(s, "state/ledger"), O_RDONLY | O_DIRECTORY);
    uint32_t wanted[100], *found;
    size_t count;
    write_branches(s, lines);
    build_index(s);
    assert_true(ledger_index_is_right(dir, 0));
    for (unsigned i = 0; i < MANY; i += STEP) {
        const char *path = lines[i].path;
        for (size_t len = 1; len <= strlen(path); len++) {
            if (path[len] && path[len] != '/')
                continue;
            assert_true(ledger_index_find(dir, 0, path, len, &found, &count));
            assert_int_equal(count, blocks_of(lines, path, len, wanted));
            assert_memory_equal(found, wanted, count * sizeof *found);
            free(found);
        }
    }
    for (unsigned i = 0; i < MANY; i++)
        free(lines[i].path);
    close(dir);
}

static void an_index_that_is_damaged_or_of_another_segment_is_not_believed(void **state)
{
    const struct sandbox *s = *state;
    int fd;
    build_index(s);
    fd = open(in(s, "state/ledger/index-000000000000"), O_WRONLY);
    assert_int_equal(pwrite(fd, "\xFF", 1, 30), 1); /* within the size of the volume */
    close(fd);
    every_question_is_answered(s);
    overwrite(s, "state/ledger/index-000000000000", "OLVINDX1", 8);
    every_question_is_answered(s);
    overwrite(s, "state/ledger/index-000000000000", "", 0);
    every_question_is_answered(s);
}

static void the_index_tells_no_names(void **state)
{
    const struct sandbox *s = *state;
    char *text;
    build_index(s);
    text = slurp(s, "state/ledger/index-000000000000");
    assert_null(strstr(text + 40, "tides"));
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(names_can_be_left_unread),
        TEST(lines_are_found_by_their_bytes),
        TEST(lines_are_found_by_the_index_just_the_same),
        TEST(a_torn_tail_is_passed_over),
        TEST(an_index_leads_to_few_blocks),
        TEST(a_deep_path_is_indexed_at_every_directory),
        TEST(each_directory_leads_to_the_blocks_that_have_it),
        TEST(an_index_that_is_damaged_or_of_another_segment_is_not_believed),
        TEST(the_index_tells_no_names),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
