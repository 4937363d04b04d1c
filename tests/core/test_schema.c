/* SPDX-License-Identifier: Apache-2.0 */
/* The JSON Schema for editors says the same as the reader: each mapping has the same keys in both, and what
 * each requires. */
#include "act/acts.h"
#include "olvido/json.h"
#include "olvido/policy.h"
#include "support/pages.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static json_t *load_schema(void)
{
    const char *source = getenv("OLVIDO_SOURCE");
    char path[1000];
    json_error_t error;
    json_t *schema;
    if (!source)
        skip();
    snprintf(path, sizeof path, "%s/docs/policy.schema.json", source);
    schema = json_load_file(path, JSON_REJECT_DUPLICATES, &error);
    if (!schema)
        fail_msg("%s:%d: %s", path, error.line, error.text);
    return schema;
}

/* What the reader says when it meets an unknown key, and which keys it misses there. */
static struct olv_diagnostics complaints_about(const struct sandbox *s, const char *text)
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    overwrite(s, "p.yaml", text, strlen(text));
    assert_null(olv_policy_load(in(s, "p.yaml"), &list, &err));
    return list;
}

static bool is_word_of(const char *list, const char *word)
{
    size_t n = strlen(word);
    for (const char *at = list; (at = strstr(at, word)); at++)
        if ((at == list || at[-1] == ' ') && (at[n] == ',' || at[n] == '\0'))
            return true;
    return false;
}

static unsigned count_words(const char *list)
{
    unsigned count = 1;
    for (; *list; list++)
        count += *list == ',';
    return count;
}

/* `object` is the schema of a mapping; `text` a policy in which that mapping has the one key `zzz`. */
static void assert_same_keys(const struct sandbox *s, json_t *object, const char *text)
{
    json_t *properties = json_object_get(object, "properties"),
           *required = json_object_get(object, "required");
    struct olv_diagnostics list = complaints_about(s, text);
    const char *expected = NULL;
    unsigned missing = 0;
    for (size_t i = 0; i < list.count; i++) {
        if (strstr(list.items[i].message, "there is no key `zzz`"))
            expected = list.items[i].expected;
        missing += strstr(list.items[i].message, " has no `") != NULL;
    }
    assert_non_null(expected);
    assert_int_equal(count_words(expected), json_object_size(properties));
    for (void *at = json_object_iter(properties); at; at = json_object_iter_next(properties, at))
        assert_true_because(is_word_of(expected, json_object_iter_key(at)), expected,
                            json_object_iter_key(at));
    assert_int_equal(missing, json_array_size(required));
    olv_diagnostics_free(&list);
}

static void every_mapping_has_the_same_keys_in_both(void **state)
{
    json_t *schema = load_schema(), *properties = json_object_get(schema, "properties"),
           *defs = json_object_get(schema, "$defs");
    json_t *rule = json_object_get(defs, "rule");
    json_t *age = json_array_get(
        json_object_get(json_object_get(json_object_get(rule, "properties"), "age-from"), "oneOf"), 1);
    static const char RULES[] = "rules: [ { name: a, under: /x, steps: [ { after: 1 day, do: tell } ] } ]\n";
    char text[400];
    assert_same_keys(*state, schema, "zzz: 1\n");
    assert_same_keys(*state, rule, "olvido: 1\nrules: [ { zzz: 1 } ]\n");
    assert_same_keys(*state, json_object_get(defs, "step"),
                     "olvido: 1\nrules: [ { name: a, under: /x, steps: [ { zzz: 1 } ] } ]\n");
    assert_same_keys(*state, age,
                     "olvido: 1\nrules: [ { name: a, under: /x, age-from: { zzz: 1 }, steps: [ { after: 1 "
                     "day, do: tell } ] } ]\n");
    snprintf(text, sizeof text, "olvido: 1\nlimits: { zzz: 1 }\n%s", RULES);
    assert_same_keys(*state, json_object_get(properties, "limits"), text);
    snprintf(text, sizeof text, "olvido: 1\ntrash: { zzz: 1 }\n%s", RULES);
    assert_same_keys(*state, json_object_get(properties, "trash"), text);
    snprintf(text, sizeof text, "olvido: 1\ndepots: { a: { zzz: 1 } }\n%s", RULES);
    assert_same_keys(*state, json_object_get(json_object_get(properties, "depots"), "additionalProperties"),
                     text);
    json_decref(schema);
}

static void acts_are_those_that_the_reader_takes(void **state)
{
    json_t *schema = load_schema();
    json_t *acts = json_object_get(
        json_object_get(
            json_object_get(json_object_get(json_object_get(schema, "$defs"), "step"), "properties"), "do"),
        "enum");
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    char text[400];
    for (size_t i = 0; i < json_array_size(acts); i++) {
        struct olv_policy *policy;
        const char *act = json_string_value(json_array_get(acts, i));
        snprintf(text, sizeof text,
                 "olvido: 1\ndepots: { a: { path: /d } }\n"
                 "rules: [ { name: a, under: /x, %ssteps: [ { after: 1 day, do: %s%s } ] } ]\n",
                 strcmp(act, "sweep") == 0 ? "where: kind = directory, " : "", act,
                 strcmp(act, "archive") == 0   ? ", depot: a"
                 : strcmp(act, "protect") == 0 ? ", as: frozen"
                                               : "");
        overwrite(*state, "p.yaml", text, strlen(text));
        policy = olv_policy_load(in(*state, "p.yaml"), &list, &err);
        assert_non_null(policy);
        olv_policy_free(policy);
        olv_diagnostics_free(&list);
    }
    json_decref(schema);
}

/* What docs/ says of the keys of acts is made from the acts' own tables. */
static void keys_of_acts_are_as_their_tables_say(void **state)
{
    const char *source = getenv("OLVIDO_SOURCE");
    (void)state;
    if (!source)
        skip();
    for (const struct page *page = pages; page->path; page++) {
        char *is = page_read(source, page), *made;
        assert_non_null(is);
        made = page_make(page, is);
        assert_non_null(made);
        if (strcmp(is, made) != 0)
            fail_msg("%s says something else of the keys of acts; tools/pages writes it", page->path);
        free(is);
        free(made);
    }
}

/* ---- what a change of a rule is ---- */

static void digest_of(const struct sandbox *s, const char *step, const char *of_rule, uint8_t out[32])
{
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_policy *policy;
    write_policy(s,
                 "depots: { low: { path: @/low }, high: { path: @/high } }\n"
                 "rules:\n  - { name: r, under: @/t, ",
                 of_rule, " steps: [ { ", step, " } ] }\n", NULL);
    policy = olv_policy_load(in(s, "policy.yaml"), &list, &err);
    if (!policy)
        fail_msg("%s: %s", step, list.count ? list.items[0].message : err.what);
    memcpy(out, policy->rules[0].digest, 32);
    olv_policy_free(policy);
    olv_diagnostics_free(&list);
}

/* A key of a step that is not in the digest would change what a rule does without a notice: every key that
 * the schema has is changed here, and a new one has to come in. */
static void every_key_of_a_step_and_a_rule_changes_its_digest(void **state)
{
    static const struct {
        const char *key, *before, *after;
    } steps[] = {
        {"after", "after: 30 days, do: tell", "after: 31 days, do: tell"},
        {"do", "after: 30 days, do: tell", "after: 30 days, do: delete"},
        {"unattended", "after: 30 days, do: delete", "after: 30 days, do: delete, unattended: yes"},
        {"as", "after: 30 days, do: compress", "after: 30 days, do: compress, as: xz"},
        {"level", "after: 30 days, do: compress", "after: 30 days, do: compress, level: 7"},
        {"depot", "after: 30 days, do: archive, depot: low", "after: 30 days, do: archive, depot: high"},
        {"one-per", "after: 30 days, do: archive, depot: low",
         "after: 30 days, do: archive, depot: low, one-per: year"},
        {"pack", "after: 30 days, do: archive, depot: low",
         "after: 30 days, do: archive, depot: low, pack: zip"}};
    static const struct {
        const char *key, *words;
    } rules[] = {{"where", "where: size > 1 MiB,"},
                 {"age-from", "age-from: accessed,"},
                 {"settle", "settle: 11 minutes,"},
                 {"open-too", "open-too: yes,"}};
    const struct sandbox *s = *state;
    json_t *schema = load_schema(), *properties, *value;
    const char *key;
    uint8_t one[32], other[32];
    properties = json_object_get(json_object_get(json_object_get(schema, "$defs"), "step"), "properties");
    assert_true(json_object_size(properties) > 0);
    json_object_foreach(properties, key, value)
    {
        size_t i = 0;
        while (i < sizeof steps / sizeof *steps && strcmp(steps[i].key, key) != 0)
            i++;
        if (i == sizeof steps / sizeof *steps)
            fail_msg("nobody has tried whether `%s` is in the digest of a rule", key);
        digest_of(s, steps[i].before, "", one);
        digest_of(s, steps[i].after, "", other);
        if (memcmp(one, other, sizeof one) == 0)
            fail_msg("`%s` changes nothing in the digest", key);
        digest_of(s, steps[i].before, "", other);
        assert_memory_equal(one, other, sizeof one);
    }
    digest_of(s, steps[0].before, "", one);
    for (size_t i = 0; i < sizeof rules / sizeof *rules; i++) {
        digest_of(s, steps[0].before, rules[i].words, other);
        if (memcmp(one, other, sizeof one) == 0)
            fail_msg("`%s` changes nothing in the digest", rules[i].key);
    }
    digest_of(s, steps[0].before, "note: for people, notice: 9 days,", other);
    assert_memory_equal(one, other, sizeof one);
    json_decref(schema);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(every_mapping_has_the_same_keys_in_both),
        TEST(acts_are_those_that_the_reader_takes),
        TEST(keys_of_acts_are_as_their_tables_say),
        TEST(every_key_of_a_step_and_a_rule_changes_its_digest),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
