/* SPDX-License-Identifier: Apache-2.0 */
/* Reading a policy: what it means, and every way in which it can be wrong. */
#include "act/acts.h"
#include "base/digest.h"
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
    assert_ptr_equal(p->rules[0].steps[0].act, &act_tell); /* in the order of their time, not of the file */
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
    assert_contains(all, "8:18 `30 dais` is not a duration");
    assert_contains(all, "8:31 there is no act `discrad`|keep, tell, compress, archive, protect, unprotect, "
                         "discard, delete or sweep|discard");
    assert_contains(all, "9:11 there are two rules named `a` (the first in line 4)");
    assert_contains(all, "`steps` must be a list");
    free(all);
}

static void acts_and_keys_that_do_not_exist_are_refused_by_name(void **state)
{
    const struct sandbox *s = *state;
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: /x, steps: [ { after: 1 day, do: destroy, "
                 "unattended: no } ] }\n",
                 "there is no act `destroy`");
    assert_error(s,
                 "olvido: 1\nrules:\n  - { name: a, under: /x, steps: [ { after: 1 day, do: tell, "
                 "into: /y } ] }\n",
                 "there is no key `into` here");
}

/* A rule with this step, and a depot. */
static void assert_step_error(const struct sandbox *s, const char *step, const char *expected)
{
    char text[600];
    snprintf(text, sizeof text,
             "olvido: 1\nrules:\n  - { name: a, under: /x, steps: [ { after: 1 day, %s } ] }\n"
             "depots: { cold-room: { path: /d } }\n",
             step);
    assert_error(s, text, expected);
}

static void what_steps_say_about_their_acts_is_checked(void **state)
{
    const struct sandbox *s = *state;
    assert_step_error(s, "do: archive", "a step that archives has no `depot`");
    assert_step_error(s, "do: archive, depot: cold-roam", "the policy has no depot `cold-roam`");
    assert_step_error(s, "do: archive, depot: cold-room, one-per: week", "`one-per` cannot be `week`");
    assert_step_error(s, "do: archive, depot: cold-room, as: xz",
                      "`as` says nothing about the act `archive`");
    assert_step_error(s, "do: archive, depot: cold-room, pack: tar, level: 3",
                      "without compression there is no level: `pack` is in line 3");
    assert_step_error(s, "do: compress, as: rot13", "`as` cannot be `rot13`");
    assert_step_error(s, "do: compress, as: gzip, level: 22", "gzip has no level 22: `as` is in line 3");
    assert_step_error(s, "do: compress, level: fast", "`level` cannot be `fast`");
    assert_step_error(s, "do: compress, depot: cold-room", "`depot` says nothing about the act `compress`");
    assert_step_error(s, "do: tell, level: 3", "`level` says nothing about the act `tell`");
    assert_error(
        s,
        "olvido: 1\nrules:\n  - { name: a, under: /x, where: kind = directory, steps: [ { after: 1 day, "
        "do: compress } ] }\n",
        "a rule about directories cannot compress");
}

/* ---- everything beside names, places and steps ---- */

static struct olv_policy *load(const struct sandbox *s, const char *text, struct olv_diagnostics *list)
{
    struct olv_error err = {0};
    struct olv_policy *p;
    overwrite(s, "p.yaml", text, strlen(text));
    p = olv_policy_load(in(s, "p.yaml"), list, &err);
    if (!p)
        fail_msg("%s: %s", err.what, list->count ? list->items[0].message : "");
    return p;
}

static void sections_and_keys_of_rules_are_read(void **state)
{
    struct olv_diagnostics list = {0};
    struct olv_policy *p = load(*state,
                                "olvido: 1\n"
                                "rules:\n"
                                "  - name: readings\n"
                                "    under: /srv/tides/*/readings\n"
                                "    where: modified < 2026-07-01\n"
                                "    age-from: { clock: name \"%Y%m%d\", until: end of year }\n"
                                "    settle: 1 hour\n"
                                "    notice: 2 days\n"
                                "    open-too: yes\n"
                                "    steps: [ { after: 1 year, do: discard, unattended: yes } ]\n"
                                "  - name: plain\n"
                                "    under: /srv/tides/plain\n"
                                "    age-from: accessed\n"
                                "    steps: [ { after: 1 year, do: discard } ]\n"
                                "time-zone: Atlantic/Azores\n"
                                "depots:\n"
                                "  cold-room: { path: /srv/depot, pack: tar.zst }\n"
                                "  attic: { path: /srv/attic }\n"
                                "limits: { files: 100000, bytes: 500 GiB, share: 2.5% }\n"
                                "trash: { keep: 30 days, unattended: yes }\n",
                                &list);
    const struct olv_rule *readings = &p->rules[0], *plain = &p->rules[1];
    assert_int_equal(readings->clock, OLV_CLOCK_NAME);
    assert_string_equal(readings->name_date, "%Y%m%d");
    assert_int_equal(readings->until, OLV_PERIOD_YEAR);
    assert_int_equal(readings->settle.seconds, 3600);
    assert_int_equal(readings->notice.seconds, 2 * 86400);
    assert_true(readings->open_too && readings->steps[0].may_run_unattended);
    assert_int_equal(plain->clock, OLV_CLOCK_ACCESSED);
    assert_int_equal(plain->settle.seconds, 600);
    assert_int_equal(plain->notice.seconds, 7 * 86400);
    assert_false(plain->open_too || plain->steps[0].may_run_unattended);
    assert_non_null(p->zone);
    assert_int_equal(p->depot_count, 2);
    assert_string_equal(p->depots[0].name, "cold-room");
    assert_int_equal(p->depots[0].codec, OLV_CODEC_ZSTD);
    assert_int_equal(p->depots[1].codec, OLV_CODEC_ZSTD); /* unless it says otherwise */
    assert_int_equal(p->limits.files, 100000);
    assert_int_equal(p->limits.bytes, 500ull << 30);
    assert_int_equal(p->limits.share_millionths, 25000);
    assert_true(p->has_trash_keep && p->trash_unattended);
    assert_int_equal(p->trash_keep.seconds, 30 * 86400);
    assert_int_equal(list.count, 0);
    olv_policy_free(p);
}

static void wrong_values_are_named_with_what_would_fit(void **state)
{
    static const struct {
        const char *keys, *message;
    } cases[] = {
        {"time-zone: Atlantic/Atlantis\n", "this machine knows no time zone `Atlantic/Atlantis`"},
        {"time-zone: ../../etc/passwd\n", "this machine knows no time zone"},
        {"limits: { files: many }\n", "`files` is not a number of files"},
        {"limits: { share: 140% }\n", "`share` is not a part"},
        {"limits: { share: 40 }\n", "`share` is not a part"},
        {"limits: {}\n", "`limits` is empty"},
        {"limits: { flies: 4 }\n", "there is no key `flies`"},
        {"depots: { a: { path: srv } }\n", "`srv` is not an absolute path"},
        {"depots: { a: { path: /srv, pack: rar } }\n", "`pack` cannot be `rar`"},
        {"depots: []\n", "`depots` must be a mapping"},
        {"trash: { keep: for ever }\n", "`for ever` is not a duration"},
        {"trash: {}\n", "`trash` has no `keep`"},
    };
    static const char *const rules[][2] = {
        {"age-from: name", "the pattern of the date is missing"},
        {"age-from: name \"%d%m\"", "is not a date pattern"},
        {"age-from: name \"%Y%q\"", "is not a date pattern"},
        {"age-from: birth", "there is no clock `birth`"},
        {"age-from: { until: end of year }", "`age-from` has no `clock`"},
        {"age-from: { clock: modified, until: easter }", "there is no end to count from `easter`"},
        {"open-too: perhaps", "there is no answer `perhaps`"},
        {"settle: soon", "`soon` is not a duration"},
    };
    char text[1000];
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        snprintf(text, sizeof text,
                 "olvido: 1\n%srules: [ { name: a, under: /x, steps: [ { after: 1 day, do: tell } ] } ]\n",
                 cases[i].keys);
        assert_error(*state, text, cases[i].message);
    }
    for (size_t i = 0; i < sizeof rules / sizeof *rules; i++) {
        snprintf(text, sizeof text,
                 "olvido: 1\nrules:\n  - name: a\n    under: /x\n    %s\n    steps: [ { after: 1 day, do: "
                 "tell } ]\n",
                 rules[i][0]);
        assert_error(*state, text, rules[i][1]);
    }
}

/* The warnings about a policy as lines "line message". */
static char *warnings_about(const struct sandbox *s, const char *rules)
{
    struct olv_diagnostics list = {0};
    char text[2000], *all = calloc(1, 10000);
    snprintf(text, sizeof text, "olvido: 1\nlimits: { files: 10 }\nrules:\n%s", rules);
    olv_policy_free(load(s, text, &list));
    assert_int_equal(list.errors, 0);
    for (size_t i = 0; i < list.count; i++) {
        assert_true(list.items[i].is_warning);
        sprintf(all + strlen(all), "%d %s\n", list.items[i].line, list.items[i].message);
    }
    olv_diagnostics_free(&list);
    return all;
}

static void what_is_hardly_meant_is_warned_of(void **state)
{
    static const struct {
        const char *rules, *warning;
    } cases[] = {
        {"  - { name: a, under: /x, where: size > 10 and size < 5, steps: [ { after: 1 day, do: tell } ] }\n",
         "4 rule a can never match: its bounds"},
        {"  - { name: a, under: /x, where: age > 1 year and age < 3 months, steps: [ { after: 1 day, do: "
         "tell } "
         "] }\n",
         "older and younger at once"},
        {"  - { name: a, under: /x, where: modified > 2026-02-01 and modified < 2026-01-01, steps: [ { "
         "after: 1 "
         "day, do: tell } ] }\n",
         "its dates exclude each other"},
        {"  - { name: a, under: /x, where: 'suffix = \"tmp\" and suffix = \"log\"', steps: [ { after: 1 day, "
         "do: "
         "tell } ] }\n",
         "two values at once"},
        {"  - { name: a, under: /x, steps: [ { after: 1 day, do: tell } ] }\n"
         "  - { name: b, under: [ /x/y, /x/z/ ], where: size > 5, steps: [ { after: 1 day, do: tell } ] }\n",
         "5 rule b can never match: all its files belong to rule a (line 4)"},
        {"  - { name: a, under: /x, where: size > 5, steps: [ { after: 1 day, do: tell } ] }\n"
         "  - { name: b, under: /x/y, where: size > 5, steps: [ { after: 1 day, do: tell } ] }\n",
         "rule b can never match"},
        {"  - { name: a, under: /x, steps: [ { after: 2 days, do: tell }, { after: 1 day, do: keep } ] }\n",
         "not in the order of their time"},
        {"  - { name: a, under: /x, steps: [ { after: 24 hours, do: tell }, { after: 1 day, do: keep } ] }\n",
         "only the last of them counts"},
        {"  - { name: a, under: /x, steps: [ { after: 1 day, do: discard }, { after: 2 days, do: tell } ] "
         "}\n",
         "lie in the trash, where only `delete` reaches them"},
    };
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        char *all = warnings_about(*state, cases[i].rules);
        assert_contains(all, cases[i].warning);
        free(all);
    }
}

static void what_may_well_be_meant_is_not_warned_of(void **state)
{
    char *all = warnings_about(
        *state,
        "  - { name: a, under: /x, where: size > 5 and size < 10, steps: [ { after: 1 day, do: tell } ] }\n"
        "  - { name: b, under: /x/y, where: kind = link, steps: [ { after: 1 day, do: tell } ] }\n"
        "  - { name: c, under: /xy, where: size = 5 or size = 6, steps: [ { after: 1 day, do: tell }, { "
        "after: 1 month, do: discard } ] }\n"
        "  - { name: d, under: /, where: 'not (size > 10 and size < 5)', steps: [ { after: 0 days, do: keep "
        "} ] }\n");
    assert_string_equal(all, "");
    free(all);
}

static void the_digest_of_a_rule_changes_with_what_it_does_only(void **state)
{
    static const char
        *const same = "  - { name: a, under: /x, where: size > 5, steps: [ { after: 1 day, do: tell } ] }\n",
               *const others[] = {
                   "  - { name: a, under: /y, where: size > 5, steps: [ { after: 1 day, do: tell } ] }\n",
                   "  - { name: a, under: /x, where: size > 6, steps: [ { after: 1 day, do: tell } ] }\n",
                   "  - { name: a, under: /x, where: size > 5, steps: [ { after: 2 days, do: tell } ] }\n",
                   "  - { name: a, under: /x, where: size > 5, settle: 1 hour, steps: [ { after: 1 day, do: "
                   "tell } ] }\n",
                   "  - { name: a, under: /x, where: size > 5, age-from: born, steps: [ { after: 1 day, do: "
                   "tell } ] }\n"};
    struct olv_diagnostics list = {0};
    uint8_t first[32];
    char text[1000];
    struct olv_policy *p;
    snprintf(text, sizeof text, "olvido: 1\nlimits: { files: 10 }\nrules:\n%s", same);
    p = load(*state, text, &list);
    memcpy(first, p->rules[0].digest, 32);
    olv_policy_free(p);
    snprintf(text, sizeof text, "olvido: 1\nrules:\n  # why\n%s    # because\n", same);
    p = load(*state, text, &list);
    assert_memory_equal(first, p->rules[0].digest, 32);
    olv_policy_free(p);
    for (size_t i = 0; i < sizeof others / sizeof *others; i++) {
        snprintf(text, sizeof text, "olvido: 1\nrules:\n%s", others[i]);
        p = load(*state, text, &list);
        assert_memory_not_equal(first, p->rules[0].digest, 32);
        olv_policy_free(p);
    }
    olv_diagnostics_free(&list);
}

static void digest_of_step(struct sandbox *s, const char *step, uint8_t out[32])
{
    struct olv_diagnostics list = {0};
    struct olv_policy *p;
    char text[1000];
    snprintf(text, sizeof text,
             "olvido: 1\ndepots: { cold: { path: /a }, warm: { path: /b } }\nrules:\n"
             "  - { name: a, under: /x, steps: [ { after: 1 day, do: %s } ] }\n",
             step);
    p = load(s, text, &list);
    assert_non_null(p);
    memcpy(out, p->rules[0].digest, 32);
    olv_policy_free(p);
    olv_diagnostics_free(&list);
}

/* What an act has of its own counts; and saying what holds anyhow changes nothing. */
static void each_key_of_a_step_counts_in_the_digest(void **state)
{
    static const char *const steps[] = {"archive, depot: cold",
                                        "archive, depot: warm",
                                        "archive, depot: cold, one-per: month",
                                        "archive, depot: cold, pack: tar.xz",
                                        "archive, depot: cold, level: 9",
                                        "compress",
                                        "compress, as: gzip",
                                        "compress, level: 9",
                                        "compress, level: 9, unattended: true"};
    enum { STEPS = sizeof steps / sizeof *steps };
    uint8_t digests[STEPS][32], again[32];
    for (size_t i = 0; i < STEPS; i++) {
        digest_of_step(*state, steps[i], digests[i]);
        for (size_t k = 0; k < i; k++)
            assert_memory_not_equal(digests[i], digests[k], 32);
    }
    digest_of_step(*state, "archive, depot: cold, one-per: run, pack: tar.zst", again);
    assert_memory_equal(again, digests[0], 32);
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
    assert_error(s, text, "8:18 `flie` is not a kind");
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

/* A rule that nobody changed has the digest that it always had, or its notice begins again. */
static void rules_keep_their_digests(void **state)
{
    static const struct {
        const char *rule, *digest;
    } cases[] = {
        {"name: small, under: /srv/tides, steps: [ { after: 30 days, do: tell } ]",
         "9902880ddc5e81a648e493eb29453e19f969ecff70a0819304120aa0957a84e8"},
        {"name: packed, under: [ /srv/a, /srv/b ], where: size > 1 MiB, age-from: { clock: changed, until: "
         "end of year }, settle: 1 hour, open-too: yes, steps: [ { after: 10 days, do: compress, as: xz, "
         "level: 7 }, { after: 1 year 2 months, do: delete, unattended: yes } ]",
         "09b6f551d3b3de871e8d63c70a375fa35409648b1299a2b94d36c0561a8f70b6"},
        {"name: usual, under: /srv/tides, age-from: 'name \"%Y%m%d\"', steps: [ { after: 1 week, do: "
         "compress "
         "}, { after: 1 year, do: discard }, { after: 9 years, do: keep } ]",
         "d9f21219eba281f85e3f99344e4284a9c2de730750a18ff0758f949a510ccc1a"},
        {"name: stored, under: /srv/c, steps: [ { after: 1 year, do: archive, depot: cold-room, one-per: "
         "month } ]",
         "338d944ef153338ebbdc8521c73573bf7926f3ba33d1d915fffc12cbea56458c"}};
    const struct sandbox *s = *state;
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        struct olv_diagnostics list = {0};
        struct olv_error err = {0};
        struct olv_policy *policy;
        char text[600], digest[OLV_HEX_SIZE];
        snprintf(text, sizeof text,
                 "olvido: 1\ndepots: { cold-room: { path: /srv/cold } }\nrules: [ { %s } ]\n", cases[i].rule);
        overwrite(s, "p.yaml", text, strlen(text));
        policy = olv_policy_load(in(s, "p.yaml"), &list, &err);
        assert_non_null(policy);
        olv_hex(policy->rules[0].digest, OLV_SHA256_SIZE, digest);
        assert_string_equal(digest, cases[i].digest);
        olv_policy_free(policy);
        olv_diagnostics_free(&list);
    }
}

#define TEST(f) cmocka_unit_test_setup_teardown(f, sandbox_setup, sandbox_teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_sound_policy_is_read),
        TEST(all_errors_of_a_file_come_in_one_go),
        TEST(acts_and_keys_that_do_not_exist_are_refused_by_name),
        TEST(what_steps_say_about_their_acts_is_checked),
        TEST(sections_and_keys_of_rules_are_read),
        TEST(wrong_values_are_named_with_what_would_fit),
        TEST(what_is_hardly_meant_is_warned_of),
        TEST(what_may_well_be_meant_is_not_warned_of),
        TEST(the_digest_of_a_rule_changes_with_what_it_does_only),
        TEST(each_key_of_a_step_counts_in_the_digest),
        TEST(rules_keep_their_digests),
        TEST(places_in_statements_are_found_through_every_kind_of_scalar),
        TEST(files_that_are_no_policy_are_refused_with_a_place),
        TEST(files_that_cannot_be_read_say_why),
        TEST(a_file_with_a_thousand_mistakes_ends_at_a_hundred),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
