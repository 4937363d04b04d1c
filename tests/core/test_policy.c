/* SPDX-License-Identifier: Apache-2.0 */
/* Reading a policy: what it means, and every way in which it can be wrong. */
#include "olvido/policy.h"
#include "support/sandbox.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static const char GOOD[] = "olvido: 1\n"
                           "title: Faro Norte tide observatory\n"
                           "rules:\n"
                           "  - name: scratch\n"
                           "    note: nobody missed it\n"
                           "    under: /srv/tides/scratch\n"
                           "    where: name like \"*.tmp\" and size > 0\n"
                           "    steps:\n"
                           "      - { after: 1 year, do: discard }\n"
                           "      - { after: 30 days, do: tell }\n"
                           "  - name: two-places\n"
                           "    under: [ /srv/tides/readings, /srv/tides/hydrophone ]\n"
                           "    steps: [ { after: P7Y, do: keep } ]\n";

static void a_sound_policy_is_read(void **state)
{
    const struct sandbox *s = *state;
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *p;
    overwrite(s, "p.yaml", GOOD, strlen(GOOD));
    p = olv_policy_load(in(s, "p.yaml"), &list, &err);
    assert_non_null(p);
    assert_string_equal(p->title, "Faro Norte tide observatory");
    assert_null(p->author);
    assert_int_equal(p->rule_count, 2);
    assert_string_equal(p->rules[0].note, "nobody missed it");
    assert_int_equal(p->rules[0].step_count, 2);
    assert_int_equal(p->rules[0].steps[0].act,
                     OLV_ACT_TELL); /* in the order of their time, not of the file */
    assert_int_equal(p->rules[0].steps[1].after.months, 12);
    assert_int_equal(p->rules[1].under_count, 2);
    assert_string_equal(p->rules[1].under[1], "/srv/tides/hydrophone");
    assert_null(p->rules[1].where_expr);
    olv_policy_free(p);
    olv_diagnostics_free(&list);
}

/* Writes the text, expects errors, and gives them as lines "line:column message|expected|nearest". */
static char *errors_of(const struct sandbox *s, const char *text, size_t len)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    char *all = calloc(1, 100000);
    overwrite(s, "p.yaml", text, len);
    assert_null(olv_policy_load(in(s, "p.yaml"), &list, &err));
    assert_int_equal(err.code, OLV_POLICY);
    for (size_t i = 0; i < list.count; i++) {
        const struct olv_diagnostic *d = &list.items[i];
        sprintf(all + strlen(all), "%d:%d %s|%s|%s\n", d->line, d->column, d->message,
                d->expected ? d->expected : "", d->nearest ? d->nearest : "");
    }
    olv_diagnostics_free(&list);
    return all;
}

static void assert_error(const struct sandbox *s, const char *text, const char *part)
{
    char *all = errors_of(s, text, strlen(text));
    assert_contains(all, part);
    free(all);
}

static void all_errors_of_a_file_come_in_one_go(void **state)
{
    char *all = errors_of(*state,
                          "olvido: 2\n"
                          "titel: x\n"
                          "rules:\n"
                          "  - name: a\n"
                          "    under: srv/tides\n"
                          "    where: sise > 5 and name like \"*.tmp\"\n"
                          "    steps:\n"
                          "      - { after: 30 dais, do: discrad }\n"
                          "  - name: a\n"
                          "    under: /srv/tides\n"
                          "    steps: []\n",
                          strlen("olvido: 2\ntitel: x\nrules:\n  - name: a\n    under: srv/tides\n    where: "
                                 "sise > 5 and name like \"*.tmp\"\n    steps:\n      - { after: 30 dais, "
                                 "do: discrad }\n  - name: a\n    under: /srv/tides\n    steps: []\n"));
    assert_contains(all, "1:9 this version of Olvido reads format 1");
    assert_contains(all, "2:1 there is no key `titel` here");
    assert_contains(all, "|title\n");
    assert_contains(all, "5:12 `srv/tides` is not an absolute path");
    assert_contains(all, "6:12 there is no field `sise`|");
    assert_contains(all, "|size\n");
    assert_contains(all, "8:18 `30 dais` is no duration");
    assert_contains(all, "8:31 there is no act `discrad`|keep, tell or discard|discard");
    assert_contains(all, "9:11 there are two rules named `a` (the first in line 4)");
    assert_contains(all, "`steps` must be a list");
    free(all);
}

static void what_is_not_built_yet_is_refused_by_name(void **state)
{
    const struct sandbox *s = *state;
    assert_error(s, "olvido: 1\nlimits: { files: 5 }\nrules: []\n", "`limits` is not built yet");
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: /x, settle: 1 hour, steps: [ { after: 1 day, do: "
                 "tell } ] }\n",
                 "`settle` is not built yet");
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: /x, steps: [ { after: 1 day, do: destroy, "
                 "unattended: no } ] }\n",
                 "the act `destroy` is not built yet");
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: /x, steps: [ { after: 1 day, do: tell, "
                 "unattended: no } ] }\n",
                 "`unattended` is not built yet");
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: /x, where: kind = directory, steps: [ { after: 1 "
                 "day, do: tell } ] }\n",
                 "rules about directories are not built yet");
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: '/x/*', steps: [ { after: 1 day, do: tell } ] }\n",
                 "globs in `under` are not built yet");
}

static void places_in_statements_are_found_through_every_kind_of_scalar(void **state)
{
    const struct sandbox *s = *state;
    const char *start =
        "olvido: 1\nrules:\n  - name: a\n    under: /x\n    steps: [ { after: 1 day, do: tell } ]\n";
    char text[1000];
    snprintf(text, sizeof text, "%s    where: 'size > 0 and nmae = \"it''s\"'\n", start);
    assert_error(s, text, "6:26 there is no field `nmae`");
    snprintf(text, sizeof text, "%s    where: \"name = \\\"x\\\" and nmae = 'y'\"\n", start);
    assert_error(s, text, "6:30 there is no field `nmae`");
    snprintf(text, sizeof text, "%s    where: >-\n      size > 0\n      and nmae = 'y'\n", start);
    assert_error(s, text, "8:11 there is no field `nmae`");
    snprintf(text, sizeof text, "%s    where: |\n      size > 0\n      and kind = flie\n", start);
    assert_error(s, text, "8:18 `flie` is no kind");
}

static void files_that_are_no_policy_are_refused_with_a_place(void **state)
{
    const struct sandbox *s = *state;
    char *deep = calloc(1, 200001), *all;
    assert_error(s, "", "the policy is empty");
    assert_error(s, "# only a remark\n", "the policy is empty");
    assert_error(s, "- just\n- a list\n", "the policy must be a mapping");
    assert_error(s, "olvido: 1\nrules: {\n", "YAML");
    assert_error(s, "olvido: 1\nolvido: 1\nrules: []\n", "YAML");
    assert_error(s, "olvido: 1\ntitle: &a x\nauthor: *a\nrules: []\n", "must be text");
    all = errors_of(s, "olvido: 1\0rules", 15);
    assert_contains(all, "1:10 a zero byte");
    free(all);
    all = errors_of(s,
                    "olvido: 1\ntitle: mar\xE9"
                    "a\n",
                    22);
    assert_contains(all, "2:11 not UTF-8 text");
    free(all);
    memset(deep, '[', 100000);
    memset(deep + 100000, ']', 100000);
    all = errors_of(s, deep, 200000);
    assert_contains(all, "YAML");
    free(all);
    free(deep);
}

static void files_that_cannot_be_read_say_why(void **state)
{
    const struct sandbox *s = *state;
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    assert_null(olv_policy_load(in(s, "missing.yaml"), &list, &err));
    assert_int_equal(err.sys, ENOENT);
    make_dir(s, "folder");
    assert_null(olv_policy_load(in(s, "folder"), &list, &err));
    assert_contains(err.what, "not a regular file");
    assert_int_equal(mkfifo(in(s, "pipe"), 0600), 0);
    assert_null(olv_policy_load(in(s, "pipe"), &list, &err)); /* and does not wait for a writer */
    assert_contains(err.what, "not a regular file");
    overwrite(s, "huge", "x", 1);
    assert_int_equal(truncate(in(s, "huge"), 5 << 20), 0);
    assert_null(olv_policy_load(in(s, "huge"), &list, &err));
    assert_contains(err.what, "larger than 4 MiB");
    assert_int_equal(list.count, 0);
}

static void a_file_with_a_thousand_mistakes_ends_at_a_hundred(void **state)
{
    char *text = calloc(1, 40000);
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    const struct sandbox *s = *state;
    strcpy(text, "olvido: 1\nrules: []\n");
    for (int i = 0; i < 1000; i++)
        sprintf(text + strlen(text), "wrong-key-%d: x\n", i);
    overwrite(s, "p.yaml", text, strlen(text));
    assert_null(olv_policy_load(in(s, "p.yaml"), &list, &err));
    assert_int_equal(list.count, 100);
    olv_diagnostics_free(&list);
    free(text);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_sound_policy_is_read),
        TEST(all_errors_of_a_file_come_in_one_go),
        TEST(what_is_not_built_yet_is_refused_by_name),
        TEST(places_in_statements_are_found_through_every_kind_of_scalar),
        TEST(files_that_are_no_policy_are_refused_with_a_place),
        TEST(files_that_cannot_be_read_say_why),
        TEST(a_file_with_a_thousand_mistakes_ends_at_a_hundred),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
