/* SPDX-License-Identifier: Apache-2.0 */
/* What is made up from a pattern fits the pattern, and a file made up from a statement fits the statement. */
#include "base/example.h"
#include "base/glob.h"
#include "base/name_date.h"
#include "policy/example.h"
#include "support/sandbox.h"

#include <stdlib.h>
#include <string.h>

static void an_example_of_a_wildcard_fits_it(void **state)
{
    static const char *const patterns[] = {"*.csv", "gauge-??.log", "**/day-*/x", "plain",
                                           "*",     "a**b",         "?*?"};
    (void)state;
    for (size_t i = 0; i < sizeof patterns / sizeof *patterns; i++) {
        struct olv_text text = {0};
        olv_glob_example(&text, patterns[i], strlen(patterns[i]), "any");
        if (!olv_glob_match(patterns[i], strlen(patterns[i]), text.data, text.len, false))
            fail_msg("%s does not fit %s", text.data, patterns[i]);
        olv_text_free(&text);
    }
}

static void an_example_of_a_date_has_it(void **state)
{
    static const char *const patterns[] = {"%Y%m%d", "dive-%Y-%m-%d_%H%M%S", "%Y", "100%% of %Y-%m"};
    const struct olv_date date = {.year = 2024, .month = 3, .day = 15, .hour = 4, .minute = 5, .second = 6};
    (void)state;
    for (size_t i = 0; i < sizeof patterns / sizeof *patterns; i++) {
        struct olv_text text = {0};
        struct olv_date back;
        olv_name_date_example(&text, patterns[i], date);
        assert_true(olv_name_date_read(patterns[i], text.data, text.len, &back));
        assert_int_equal(back.year, 2024);
        assert_int_equal(back.month, strchr(patterns[i], 'm') ? 3 : 1);
        olv_text_free(&text);
    }
}

/* ---- statements ---- */

struct made_up {
    struct olv_subject subject; /* first member */
    struct olv_stat stat;
    const char *path;
};

static const struct olv_stat *look(struct olv_subject *subject)
{
    return subject->stat = &((struct made_up *)subject)->stat;
}

static const char *path(struct olv_subject *subject, size_t *len)
{
    const char *text = ((struct made_up *)subject)->path;
    *len = strlen(text);
    return text;
}

static enum olv_truth no(struct olv_subject *subject)
{
    (void)subject;
    return OLV_NO;
}

static enum olv_truth fits(const struct olv_expr *expr, const struct example *e)
{
    const struct olv_subject_facts facts = {.look = look, .path = path, .is_open = no, .is_empty = no};
    const char *name = strrchr(e->path, '/') ? strrchr(e->path, '/') + 1 : e->path;
    struct made_up m = {
        .subject = {.name = name, .name_len = strlen(name), .kind = e->kind, .depth = 1, .facts = &facts},
        .path = e->path};
    struct olv_expr_scratch *scratch = olv_expr_scratch_new();
    struct olv_instant *ages;
    enum olv_truth answer;
    for (const char *p = e->path; *p; p++)
        m.subject.depth += *p == '/';
    m.stat = (struct olv_stat){.kind = e->kind,
                               .mode = e->has_mode         ? e->mode
                                       : e->wants_readonly ? 0444
                                                           : 0644,
                               .owner = e->owner,
                               .group = e->group,
                               .links = e->links.least > 1 ? e->links.least : 1,
                               .size_bytes = e->wants_empty             ? 0
                                             : e->size_bytes.least > 24 ? e->size_bytes.least
                                                                        : 24};
    if (m.stat.size_bytes > e->size_bytes.most)
        m.stat.size_bytes = e->size_bytes.most;
    m.stat.mode |= e->wants_world_writable ? 0002 : 0;
    ages = olv_expr_bind(expr, (struct olv_instant){1800000000, 0}, NULL);
    answer = olv_expr_test(expr, ages, &m.subject, scratch);
    free(ages);
    olv_expr_scratch_free(scratch);
    return answer;
}

static void an_example_of_a_statement_fits_it(void **state)
{
    static const char *const statements[] = {
        "name like \"*.csv\"",
        "name = \"keep\" or suffix = \"csv\"",
        "suffix in (\"gz\", \"zst\") and size > 10 MiB",
        "stem = \"gauge\" and suffix = \"csv\" and not empty",
        "path like \"2024/**/gauge*.log\"",
        "name matches \"^gauge-[0-9]{4}[.](tmp|log)$\"",
        "name matches \"^[^0-9]+-\\\\d\\\\d?(?:a|b){2}x*\\\\.csv$\"",
        "name matches \"(?i)readings[[:digit:]]{2,5}\"",
        "name matches \"([A-Z][a-z]+ ){3}end\"",
        "name matches \"^([ab])-\\\\1[.]\\\\w{3,}+$\"",
        "name matches \"^(?!xx)[a-z]{2}[^]x]?[[:alpha:]_]+?[.]csv$\"",
        "name matches \"^mar\303\251e-[^a-z](?<when>[0-9]{4})\\\\.$\"",
        "not (name matches \"x\" or size <= 5 kB)",
        "kind = directory and name like \"20??\"",
        "kind = link",
        "size >= 5 and size < 7",
        "not size > 100",
        "size != 0 and links >= 3",
        "name like \"dive-*\" and suffix = \"wav\"",
        "name matches \"^dive\" and suffix = \"wav\"",
        "empty",
        "readonly and not world-writable",
        "world-writable",
        "mode = 0600 and owner = 12 and group = 34",
        "depth > 3 and depth <= 5",
        "not (kind = directory)",
    };
    (void)state;
    for (size_t i = 0; i < sizeof statements / sizeof *statements; i++) {
        struct olv_diagnostics list = {0};
        struct olv_expr *expr = olv_expr_compile(statements[i], NULL, &list);
        struct example e;
        if (!expr)
            fail_msg("%s: %s", statements[i], list.items[0].message);
        example_of(expr, "sample", &e);
        if (fits(expr, &e) != OLV_YES)
            fail_msg("%s does not fit: %s", e.path, statements[i]);
        olv_expr_free(expr);
        olv_diagnostics_free(&list);
    }
}

static void strange_expressions_do_no_harm(void **state)
{
    static const char *const patterns[] = {
        "",     "(",   "[",   "[^",  "a{", "a{99999999999}", "((((", "\\", "(?",
        "(?<n", "|||", "[[:", "a**", ")",  "(?=x)y",         "[]a]"};
    char deep[600];
    struct olv_text text = {0};
    (void)state;
    for (size_t i = 0; i < sizeof patterns / sizeof *patterns; i++)
        olv_regex_example(&text, patterns[i], strlen(patterns[i]));
    memset(deep, '(', sizeof deep);
    olv_regex_example(&text, deep, sizeof deep);
    assert_false(text.failed);
    assert_true(text.len < 1000);
    olv_text_free(&text);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(an_example_of_a_wildcard_fits_it),
        cmocka_unit_test(an_example_of_a_date_has_it),
        cmocka_unit_test(an_example_of_a_statement_fits_it),
        cmocka_unit_test(strange_expressions_do_no_harm),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
