/* SPDX-License-Identifier: Apache-2.0 */
/* The language of `where`: what it says about a file, and what it says about a mistake. */
#include "policy/expr.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { DAY = 86400 };
static const struct olv_instant NOW = {1795000000, 0}; /* 2026-11-18T11:06:40Z */

struct subject {
    struct olv_subject subject;
    struct olv_stat stat;
    const char *path;
    unsigned looks; /* how often the system was asked */
    bool is_gone;
};

static const struct olv_stat *look(struct olv_subject *subject)
{
    struct subject *s = (struct subject *)subject;
    s->looks++;
    if (!s->is_gone)
        subject->stat = &s->stat;
    return subject->stat;
}

static const char *path(struct olv_subject *subject, size_t *len)
{
    const struct subject *s = (struct subject *)subject;
    *len = strlen(s->path);
    return s->path;
}

static enum olv_truth is_open(struct olv_subject *subject)
{
    (void)subject;
    return OLV_YES;
}

static enum olv_truth is_empty(struct olv_subject *subject)
{
    (void)subject;
    return OLV_NO;
}

static const struct olv_subject_facts facts = {
    .look = look, .path = path, .is_open = is_open, .is_empty = is_empty};

/* readings/gauge-1/2026-10.csv: 2,048 bytes, 0644, user 1000, group 100, 40 days old, two links. */
static struct subject gauge(void)
{
    struct subject s = {.path = "gauge-1/2026-10.csv"};
    s.subject = (struct olv_subject){
        .name = "2026-10.csv", .name_len = 11, .kind = OLV_KIND_FILE, .depth = 2, .facts = &facts};
    s.stat = (struct olv_stat){
        .kind = OLV_KIND_FILE, .mode = 0644, .owner = 1000, .group = 100, .links = 2, .size_bytes = 2048};
    s.stat.modified.s = NOW.s - 40 * DAY;
    s.stat.accessed.s = NOW.s - DAY;
    s.stat.changed.s = NOW.s - 40 * DAY;
    return s;
}

static bool user_id(const char *name, uint32_t *out)
{
    *out = 1000;
    return strcmp(name, "marina") == 0;
}

struct complaints {
    char text[2000];
    size_t first_offset;
    unsigned count;
};

static void complain(void *self, const struct expr_complaint *c)
{
    struct complaints *all = self;
    size_t at = strlen(all->text);
    if (all->count++ == 0)
        all->first_offset = c->offset;
    snprintf(all->text + at, sizeof all->text - at, "%s|%s|%s\n", c->message, c->expected ? c->expected : "",
             c->nearest ? c->nearest : "");
}

static enum olv_truth says_of(const char *text, struct subject *s)
{
    struct olv_arena arena = {0};
    struct complaints complaints = {0};
    struct expr_parse_options options = {&complaints, complain, user_id, user_id, NULL};
    struct olv_expr_scratch *scratch = olv_expr_scratch_new();
    struct olv_expr *expr = expr_parse(text, strlen(text), &arena, &options);
    struct olv_instant *ages;
    enum olv_truth answer;
    if (!expr)
        fail_msg("<%s>: %s", text, complaints.text);
    ages = olv_expr_bind(expr, NOW, NULL);
    answer = olv_expr_test(expr, ages, &s->subject, scratch);
    free(ages);
    expr_release(expr);
    olv_expr_scratch_free(scratch);
    olv_arena_free(&arena);
    return answer;
}

static void assert_says(const char *text, enum olv_truth expected)
{
    struct subject s = gauge();
    enum olv_truth answer = says_of(text, &s);
    if (answer != expected)
        fail_msg("<%s> is %d, expected %d", text, answer, expected);
}

static void every_field_can_be_asked(void **state)
{
    static const char *const true_ones[] = {"name = \"2026-10.csv\"",
                                            "stem = \"2026-10\"",
                                            "suffix = \"csv\"",
                                            "path like \"gauge-?/*.csv\"",
                                            "path matches \"^gauge-1/\"",
                                            "size = 2 KiB",
                                            "size > 0",
                                            "size <= 2048",
                                            "size in (1, 2 KiB)",
                                            "age > 39 days",
                                            "age < 41 days",
                                            "age >= 40 days",
                                            "age <= 40 days",
                                            "modified < 2026-10-10",
                                            "modified = 2026-10-09",
                                            "modified != 2026-10-10",
                                            "accessed > 2026-11-01",
                                            "changed < 2026-11-01T00:00:00Z",
                                            "owner = marina",
                                            "owner = 1000",
                                            "owner in (\"marina\", 7)",
                                            "owner != 7",
                                            "group = 100",
                                            "mode = 644",
                                            "mode = 0644",
                                            "kind = file",
                                            "kind in (\"file\", \"link\")",
                                            "links = 2",
                                            "links > 1",
                                            "depth = 2",
                                            "not empty",
                                            "open",
                                            "not readonly",
                                            "not protected",
                                            "not world-writable",
                                            "name like \"*.CSV\" ignoring case",
                                            "name in (\"a\", \"2026-10.csv\")",
                                            "name matches '^[0-9]{4}-'"};
    (void)state;
    for (size_t i = 0; i < sizeof true_ones / sizeof *true_ones; i++) {
        char negated[200];
        assert_says(true_ones[i], OLV_YES);
        snprintf(negated, sizeof negated, "not (%s)", true_ones[i]);
        assert_says(negated, OLV_NO);
    }
}

static void a_day_means_the_whole_day(void **state)
{
    (void)state; /* modified is 2026-10-09T11:06:40Z */
    assert_says("modified < 2026-10-09", OLV_NO);
    assert_says("modified <= 2026-10-09", OLV_YES);
    assert_says("modified > 2026-10-09", OLV_NO);
    assert_says("modified >= 2026-10-09", OLV_YES);
    assert_says("modified < 2026-10-09T11:06:40Z", OLV_NO);
    assert_says("modified = 2026-10-09T11:06:40Z", OLV_YES);
    assert_says("modified <= 2026-10-09T11:06:40Z", OLV_YES);
}

static void exactly_so_old_is_not_older(void **state)
{
    (void)state;
    assert_says("age > 40 days", OLV_NO);
    assert_says("age >= 40 days", OLV_YES);
    assert_says("age < 40 days", OLV_NO);
}

static void and_binds_closer_than_or(void **state)
{
    (void)state;
    assert_says("size = 1 and size = 2 or size = 2048", OLV_YES);
    assert_says("size = 2048 or size = 1 and size = 2", OLV_YES);
    assert_says("(size = 2048 or size = 1) and size = 2", OLV_NO);
    assert_says("not size = 1 and size = 2048", OLV_YES);
}

static void what_cannot_be_known_stays_unknown(void **state)
{
    (void)state; /* this file has no time of birth */
    assert_says("born < 2026-01-01", OLV_UNKNOWN);
    assert_says("not born < 2026-01-01", OLV_UNKNOWN);
    assert_says("born < 2026-01-01 and size = 2048", OLV_UNKNOWN);
    assert_says("size = 2048 and born < 2026-01-01", OLV_UNKNOWN);
    assert_says("size = 1 and born < 2026-01-01", OLV_NO);
    assert_says("size = 1 or born < 2026-01-01", OLV_UNKNOWN);
    assert_says("born < 2026-01-01 or size = 1", OLV_UNKNOWN);
    assert_says("born < 2026-01-01 and size = 1", OLV_NO);
    assert_says("born < 2026-01-01 or size = 2048", OLV_YES);
    assert_says("size = 2048 or born < 2026-01-01", OLV_YES);
}

static void a_pattern_that_explodes_is_stopped_and_undecided(void **state)
{
    struct subject s = gauge();
    char name[64];
    (void)state;
    memset(name, 'a', sizeof name);
    s.subject.name = name;
    s.subject.name_len = sizeof name;
    assert_int_equal(says_of("name matches \"^(a+)+(a+)+(a+)+$x\"", &s), OLV_NO);
    assert_int_equal(says_of("name matches \"^(a+)+[bc]$\"", &s), OLV_UNKNOWN);
}

static void a_rule_that_names_no_kind_means_files(void **state)
{
    struct subject s = gauge();
    (void)state;
    s.subject.kind = s.stat.kind = OLV_KIND_LINK;
    assert_int_equal(says_of("size > 0", &s), OLV_NO);
    assert_int_equal(says_of("size > 0 and kind != file", &s), OLV_YES);
}

static void the_system_is_asked_only_when_it_must_be(void **state)
{
    struct subject s = gauge();
    (void)state;
    says_of("name like \"*.tmp\" and size > 0", &s);
    assert_int_equal(s.looks, 0);
    says_of("name like \"*.csv\" and size > 0 and age > 1 day", &s);
    assert_int_equal(s.looks, 1);
}

static void a_file_that_vanished_is_undecided(void **state)
{
    struct subject s = gauge();
    (void)state;
    s.is_gone = true;
    assert_int_equal(says_of("size > 0", &s), OLV_UNKNOWN);
    assert_int_equal(says_of("name like \"*.tmp\"", &s), OLV_NO);
}

static void names_of_any_bytes_can_be_matched(void **state)
{
    struct subject s = gauge();
    (void)state;
    s.subject.name = "mar\xE9"
                     "e\n.tmp";
    s.subject.name_len = strlen(s.subject.name);
    assert_int_equal(says_of("name like \"mar?e*.tmp\"", &s), OLV_YES);
    assert_int_equal(says_of("name matches \"[.]tmp$\"", &s), OLV_YES);
    s.subject.name = ".profile";
    s.subject.name_len = 8;
    assert_int_equal(says_of("suffix = \"\" and stem = \".profile\"", &s), OLV_YES);
}

static struct complaints complaints_about(const char *text)
{
    struct olv_arena arena = {0};
    struct complaints complaints = {0};
    struct expr_parse_options options = {&complaints, complain, user_id, user_id, NULL};
    assert_null(expr_parse(text, strlen(text), &arena, &options));
    olv_arena_free(&arena);
    return complaints;
}

static void mistakes_are_named_and_placed(void **state)
{
    static const struct {
        const char *text, *part;
        size_t offset;
    } wrong[] = {
        {"nmae = \"a\"", "no field `nmae`|", 0},
        {"nmae = \"a\"", "|name", 0},
        {"size > ", "value is missing", 7},
        {"size >> 5", "value is missing", 6},
        {"size > 10 XB", "`10 XB` is not a size", 7},
        {"age > 5 fortnights", "not a duration", 6},
        {"age = 5 days", "cannot be compared with `=`", 4},
        {"modified < 2026-02-30", "not a date", 11},
        {"mode = 999", "not a mode", 7},
        {"kind = flie", "|file", 7},
        {"owner = nobody-of-that-name", "no user", 8},
        {"owner like \"m*\"", "cannot be compared with `like`", 6},
        {"name < \"a\"", "cannot be compared with `<`", 5},
        {"name like *.csv", "does not fit", 10},
        {"name like \"*.csv", "never closed", 11},
        {"name matches \"(\"", "regular expression", 14},
        {"(size > 1", "ends too early", 9},
        {"size > 1)", "does not fit", 8},
        {"size > 1 size > 2", "does not fit", 9},
        {"and", "no field", 0},
        {"size > 1 and", "ends too early", 12},
        {"name in \"a\"", "does not fit", 9},
        {"name = csv", "text in quotes", 7},
        {"name like \"a\" ignoring size", "does not fit", 23},
        {"size ~ 3", "does not fit", 5},
    };
    (void)state;
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        struct complaints c = complaints_about(wrong[i].text);
        if (!strstr(c.text, wrong[i].part) || c.first_offset != wrong[i].offset)
            fail_msg("<%s>: at %zu (expected %zu): %s", wrong[i].text, c.first_offset, wrong[i].offset,
                     c.text);
    }
}

static void several_wrong_words_are_all_named(void **state)
{
    struct complaints c = complaints_about("sise > 5 and nmae = \"a\" or kind = flie");
    (void)state;
    assert_int_equal(c.count, 3);
    assert_contains(c.text, "sise");
    assert_contains(c.text, "nmae");
    assert_contains(c.text, "flie");
}

static void nesting_and_length_have_limits(void **state)
{
    char deep[400], *lengthy = calloc(1, 100000);
    (void)state;
    memset(deep, '(', sizeof deep);
    deep[sizeof deep - 1] = '\0';
    assert_contains(complaints_about(deep).text, "nested too deeply");
    for (int i = 0; i < 9000; i++)
        strcpy(lengthy + 10 * i, "empty and ");
    strcpy(lengthy + 90000, "empty");
    assert_contains(complaints_about(lengthy).text, "too long");
    free(lengthy);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_field_can_be_asked),
        cmocka_unit_test(a_day_means_the_whole_day),
        cmocka_unit_test(exactly_so_old_is_not_older),
        cmocka_unit_test(and_binds_closer_than_or),
        cmocka_unit_test(what_cannot_be_known_stays_unknown),
        cmocka_unit_test(a_pattern_that_explodes_is_stopped_and_undecided),
        cmocka_unit_test(a_rule_that_names_no_kind_means_files),
        cmocka_unit_test(the_system_is_asked_only_when_it_must_be),
        cmocka_unit_test(a_file_that_vanished_is_undecided),
        cmocka_unit_test(names_of_any_bytes_can_be_matched),
        cmocka_unit_test(mistakes_are_named_and_placed),
        cmocka_unit_test(several_wrong_words_are_all_named),
        cmocka_unit_test(nesting_and_length_have_limits),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
