/* SPDX-License-Identifier: Apache-2.0 */
/* Which rule, which step: verdicts on single files, and plans over trees. */
#include "act/acts.h"
#include "judge/decide.h"
#include "olvido/plan.h"
#include "support/sandbox.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

enum { DAY = 86400 };
static const struct olv_instant NOW = {1795000000, 0};

/* ---- one file ---- */

struct subject {
    struct olv_subject subject;
    struct olv_stat stat;
};

static const struct olv_stat *look(struct olv_subject *subject)
{
    subject->stat = &((struct subject *)subject)->stat;
    return subject->stat;
}

static const struct olv_stat *look_in_vain(struct olv_subject *subject)
{
    (void)subject;
    return NULL;
}

static const struct olv_subject_facts facts = {.look = look}, gone = {.look = look_in_vain};

static struct subject aged(int64_t seconds)
{
    struct subject s = {
        .subject = {.name = "plot.tmp", .name_len = 8, .kind = OLV_KIND_FILE, .facts = &facts}};
    s.stat.kind = OLV_KIND_FILE;
    s.stat.modified.s = NOW.s - seconds;
    return s;
}

/* Rule 0 keeps after a year, tells after 10 days, discards after 30 days; rule 1 tells at once. */
static struct olv_step steps_of_first[] = {{.after = {0, 10 * DAY}, .act = &act_tell},
                                           {.after = {0, 30 * DAY}, .act = &act_discard},
                                           {.after = {12, 0}, .act = &act_keep}};
static struct olv_step steps_of_second[] = {{.after = {0, 0}, .act = &act_tell}};
static struct olv_rule rules[] = {
    {.name = "first", .steps = steps_of_first, .step_count = 3},
    {.name = "second", .steps = steps_of_second, .step_count = 1, .settle = {0, 600}}};
static const struct olv_policy policy = {.rules = rules, .rule_count = 2};

static struct olv_verdict verdict_on(struct subject s, struct olv_instant as_of)
{
    struct olv_scope *scope = calloc(1, sizeof *scope + 2 * sizeof scope->rules[0]);
    struct olv_decider *decider = olv_decider_new(&policy, NOW, as_of);
    struct olv_verdict v;
    scope->count = 2;
    scope->rules[1].rule = 1;
    v = olv_decide(decider, scope, 1, &s.subject, NULL);
    olv_decider_free(decider);
    free(scope);
    return v;
}

static void the_latest_step_whose_time_has_come_counts(void **state)
{
    struct olv_verdict v;
    (void)state;
    assert_int_equal(verdict_on(aged(9 * DAY), NOW).reason, OLV_NOT_DUE);
    v = verdict_on(aged(10 * DAY), NOW);
    assert_int_equal(v.reason, OLV_DUE);
    assert_int_equal(v.step, 0);
    v = verdict_on(aged(100 * DAY), NOW); /* the missed earlier step lapses */
    assert_int_equal(v.reason, OLV_DUE);
    assert_int_equal(v.step, 1);
    assert_int_equal(verdict_on(aged(400 * DAY), NOW).reason, OLV_KEPT);
}

static void the_first_rule_owns_a_file_even_when_nothing_is_due(void **state)
{
    struct olv_verdict v = verdict_on(aged(DAY), NOW);
    (void)state;
    assert_int_equal(v.rule, 0);
    assert_int_equal(v.reason, OLV_NOT_DUE);
}

static void times_that_cannot_be_trusted_are_not_due(void **state)
{
    struct subject s = aged(-60);
    (void)state;
    assert_int_equal(verdict_on(s, NOW).reason, OLV_ODD_TIME);
    s.stat.modified.s = 86400;
    assert_int_equal(verdict_on(s, NOW).reason, OLV_ODD_TIME);
    s.stat.modified.s = -5;
    assert_int_equal(verdict_on(s, NOW).reason, OLV_ODD_TIME);
    s.stat.modified.s = 86401;
    assert_int_equal(verdict_on(s, NOW).reason, OLV_KEPT);
}

static void another_day_is_judged_by_its_own_calendar(void **state)
{
    struct olv_instant next_year = {NOW.s + 300 * DAY, 0}, last_year = {NOW.s - 300 * DAY, 0};
    (void)state;
    assert_int_equal(verdict_on(aged(DAY), next_year).step, 1);
    assert_int_equal(verdict_on(aged(200 * DAY), last_year).reason, OLV_NOT_DUE); /* it was not there yet */
}

static void a_file_that_vanished_is_gone(void **state)
{
    struct subject s = aged(100 * DAY);
    (void)state;
    s.subject.facts = &gone;
    assert_int_equal(verdict_on(s, NOW).reason, OLV_GONE);
}

static void what_is_no_file_belongs_to_no_rule_that_names_no_kind(void **state)
{
    struct subject s = aged(100 * DAY);
    (void)state;
    s.subject.kind = OLV_KIND_LINK;
    assert_int_equal(verdict_on(s, NOW).reason, OLV_NOT_OWNED);
}

static void what_was_just_modified_settles_first(void **state)
{
    struct olv_scope *scope = calloc(1, sizeof *scope + sizeof scope->rules[0]);
    struct olv_decider *decider = olv_decider_new(&policy, NOW, NOW);
    struct subject young = aged(599), settled = aged(601);
    (void)state;
    scope->count = 1;
    scope->rules[0].rule = 1; /* due at once */
    assert_int_equal(olv_decide(decider, scope, 1, &young.subject, NULL).reason, OLV_SETTLING);
    assert_int_equal(olv_decide(decider, scope, 1, &settled.subject, NULL).reason, OLV_DUE);
    olv_decider_free(decider);
    free(scope);
}

/* ---- whole plans ---- */

struct planned {
    struct olv_policy *policy;
    struct olv_plan plan;
};

static struct planned plan_of(const struct sandbox *s, const char *rules_text, const bool *selected)
{
    struct planned p = {0};
    struct olv_diagnostics list = {0};
    struct olv_error err = {0};
    struct olv_guard guard = {0};
    time_t now = time(NULL);
    struct olv_plan_options options = {
        .now = {now, 0}, .as_of = {now, 0}, .guard = &guard, .wants_docket = true, .selected = selected};
    char text[4096];
    snprintf(text, sizeof text, "olvido: 1\nrules:\n%s", rules_text);
    overwrite(s, "policy.yaml", text, strlen(text));
    p.policy = olv_policy_load(in(s, "policy.yaml"), &list, &err);
    if (!p.policy)
        fail_msg("%s: %s", err.what, list.count ? list.items[0].message : "");
    olv_guard_add(&guard, in(s, "own"));
    if (!olv_plan_make(&p.plan, p.policy, &options, NULL, &err))
        fail_msg("%s", err.what);
    olv_guard_free(&guard);
    olv_diagnostics_free(&list);
    return p;
}

static void drop(struct planned *p)
{
    olv_plan_free(&p->plan);
    olv_policy_free(p->policy);
}

static bool tell_entry(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    char *all = self;
    (void)err;
    sprintf(all + strlen(all), "%s/%s:%s.%u,", e->directory, e->name, e->rule_name, e->step);
    return true;
}

/* The docket's entries as "directory/name:rule.step,", in any order. */
static char *docket_of(struct planned *p)
{
    char *all = calloc(1, 100000);
    struct olv_error err = {0};
    assert_true(olv_docket_each(p->plan.docket, tell_entry, all, &err));
    return all;
}

static int tree_setup(void **state)
{
    const struct sandbox *s;
    if (sandbox_setup(state) < 0)
        return -1;
    s = *state;
    make_dir(s, "tides");
    make_dir(s, "tides/a");
    make_dir(s, "tides/a/deep");
    make_dir(s, "tides/ab");
    make_dir(s, "own");
    make_file(s, "own/ledger", "x", 100);
    make_file(s, "tides/top", "1", 100);
    make_file(s, "tides/a/one", "22", 100);
    make_file(s, "tides/a/deep/two", "333", 100);
    make_file(s, "tides/ab/three", "4444", 100);
    return 0;
}

static void nested_rules_share_one_walk_and_count_paths_from_their_own_under(void **state)
{
    const struct sandbox *s = *state;
    char text[2048], expected[512], *docket;
    struct planned p;
    snprintf(text, sizeof text,
             "  - { name: deep, under: %s/tides/a/deep, where: 'path = \"two\" and depth = 1', steps: [ { "
             "after: 1 day, do: discard } ] }\n"
             "  - { name: a, under: [ %s/tides/a, %s/tides/a ], where: 'path in (\"one\", \"deep/two\")', "
             "steps: [ { after: 1 day, do: tell } ] }\n"
             "  - { name: rest, under: %s/tides, where: 'path like \"a*/**\" or depth = 1', steps: [ { "
             "after: 1 day, do: tell }, { after: 2 days, do: discard } ] }\n",
             s->path, s->path, s->path, s->path);
    p = plan_of(s, text, NULL);
    docket = docket_of(&p);
    snprintf(expected, sizeof expected, "%s/tides/a/deep/two:deep.1,", s->path);
    assert_contains(docket, expected);
    snprintf(expected, sizeof expected, "%s/tides/a/one:a.1,", s->path);
    assert_contains(docket, expected);
    snprintf(expected, sizeof expected, "%s/tides/ab/three:rest.2,", s->path);
    assert_contains(docket, expected);
    snprintf(expected, sizeof expected, "%s/tides/top:rest.2,", s->path);
    assert_contains(docket, expected);
    assert_int_equal(p.plan.looked_at, 4); /* each once */
    assert_int_equal(p.plan.due.files, 4);
    assert_int_equal(p.plan.due.bytes, 10);
    free(docket);
    drop(&p);
}

static void a_link_in_an_under_is_resolved_once(void **state)
{
    const struct sandbox *s = *state;
    char text[1024];
    struct planned p;
    assert_int_equal(symlink("tides", in(s, "link")), 0);
    snprintf(text, sizeof text,
             "  - { name: a, under: [ %s/link/a/.., %s/tides/ ], steps: [ { after: 1 day, do: tell } ] }\n",
             s->path, s->path);
    p = plan_of(s, text, NULL);
    assert_int_equal(p.plan.looked_at, 4);
    assert_int_equal(p.plan.rules[0].owned.files, 4);
    drop(&p);
}

static void rules_that_are_not_selected_own_but_do_nothing(void **state)
{
    const struct sandbox *s = *state;
    bool selected[] = {false, true};
    char text[1024];
    struct planned p;
    snprintf(text, sizeof text,
             "  - { name: a, under: %s/tides/a, steps: [ { after: 1 day, do: discard } ] }\n"
             "  - { name: b, under: %s/tides, steps: [ { after: 1 day, do: discard } ] }\n",
             s->path, s->path);
    p = plan_of(s, text, selected);
    assert_int_equal(p.plan.rules[0].owned.files, 2);
    assert_int_equal(p.plan.due.files, 2);
    drop(&p);
}

static void own_places_are_not_entered(void **state)
{
    const struct sandbox *s = *state;
    char text[1024], *docket;
    struct planned p;
    snprintf(text, sizeof text,
             "  - { name: all, under: %s, where: 'name != \"policy.yaml\"', steps: [ { after: 1 day, do: "
             "discard } ] }\n",
             s->path);
    p = plan_of(s, text, NULL);
    docket = docket_of(&p);
    assert_lacks(docket, "/own/");
    assert_int_equal(p.plan.due.files, 4);
    free(docket);
    drop(&p);
}

static void a_missing_under_is_trouble_and_not_the_end(void **state)
{
    const struct sandbox *s = *state;
    char text[1024];
    struct planned p;
    snprintf(text, sizeof text,
             "  - { name: a, under: [ %s/nowhere, %s/tides/top, %s/tides/a ], steps: [ { after: 1 day, do: "
             "tell } ] }\n",
             s->path, s->path, s->path);
    p = plan_of(s, text, NULL);
    assert_int_equal(p.plan.troubles, 2); /* one is missing, one is no directory */
    assert_int_equal(p.plan.due.files, 2);
    drop(&p);
}

static void more_than_a_segment_is_spooled_in_many(void **state)
{
    const struct sandbox *s = *state;
    char text[1024];
    struct planned p;
    struct olv_page_head head;
    struct olv_error err = {0};
    uint64_t at = 0;
    unsigned segments = 0, entries = 0;
    for (int i = 0; i < 9000; i++) {
        char name[64];
        snprintf(name, sizeof name, "tides/ab/f%05d", i);
        make_file(s, name, "", 50);
    }
    snprintf(text, sizeof text,
             "  - { name: a, under: %s/tides, steps: [ { after: 1 day, do: discard } ] }\n", s->path);
    p = plan_of(s, text, NULL);
    while (olv_spool_head(p.plan.docket, at, &head, &err)) {
        assert_int_equal(head.first, 0); /* workers add pages at the same time: each is a segment */
        assert_in_range(head.entries, 1, OLV_SEGMENT_ENTRIES);
        entries += head.entries;
        segments++;
        at += head.len;
    }
    assert_int_equal(entries, 9004);
    assert_true(segments >= 3);
    drop(&p);
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, tree_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_latest_step_whose_time_has_come_counts),
        cmocka_unit_test(the_first_rule_owns_a_file_even_when_nothing_is_due),
        cmocka_unit_test(times_that_cannot_be_trusted_are_not_due),
        cmocka_unit_test(another_day_is_judged_by_its_own_calendar),
        cmocka_unit_test(a_file_that_vanished_is_gone),
        cmocka_unit_test(what_is_no_file_belongs_to_no_rule_that_names_no_kind),
        cmocka_unit_test(what_was_just_modified_settles_first),
        TEST(nested_rules_share_one_walk_and_count_paths_from_their_own_under),
        TEST(a_link_in_an_under_is_resolved_once),
        TEST(rules_that_are_not_selected_own_but_do_nothing),
        TEST(own_places_are_not_entered),
        TEST(a_missing_under_is_trouble_and_not_the_end),
        TEST(more_than_a_segment_is_spooled_in_many),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
