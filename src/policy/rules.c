/* SPDX-License-Identifier: Apache-2.0 */
/* The rules of a policy and their steps. */
#include "policy/sections.h"

#include "base/digest.h"
#include "base/name_date.h"
#include "olvido/accounts.h"
#include "olvido/nearest.h"
#include "olvido/pattern.h"
#include "policy/expr.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_RULES = 1000, MOST_PATHS = 1000 };

/* ---- age-from ---- */

static const char *const clock_words[OLV_CLOCK_COUNT] = {"modified", "accessed", "changed", "born", "name"};

const char *olv_clock_word(enum olv_clock clock)
{
    return clock_words[clock];
}

static void rules_read_clock(struct reader *r, struct fy_node *node, void *target)
{
    static const char expected[] = "modified, accessed, changed, born, or name \"%Y%m%d\"";
    struct olv_rule *rule = target;
    size_t len = 0, at;
    const char *text = policy_scalar(node, &len);
    char *pattern;
    int word;
    if (!text || len < 7 || memcmp(text, "name \"", 6) != 0 || text[len - 1] != '"') {
        if (text && len >= 4 && memcmp(text, "name", 4) == 0)
            policy_complain(r, node_position(node), "name \"%Y%m%d\"", NULL,
                            "the pattern of the date is missing");
        else if ((word = policy_word(r, node, "clock", clock_words, OLV_CLOCK_NAME, expected)) >= 0)
            rule->clock = (enum olv_clock)word;
        return;
    }
    pattern = olv_arena_copy(r->arena, text + 6, len - 7);
    r->out_of_memory |= !pattern;
    if (pattern && !olv_name_date_is_pattern(pattern, &at))
        policy_complain(r, node_position(node),
                        "text with %Y, and %m %d %H %M %S as far as the name has them", NULL,
                        "`%s` is not a date pattern", pattern);
    rule->clock = OLV_CLOCK_NAME;
    rule->name_date = pattern;
}

static void read_until(struct reader *r, struct fy_node *node, void *target)
{
    static const char *const words[] = {"end of month", "end of year"};
    int word = policy_word(r, node, "end to count from", words, 2, "end of month, or end of year");
    if (word >= 0)
        ((struct olv_rule *)target)->until = word ? OLV_PERIOD_YEAR : OLV_PERIOD_MONTH;
}

static const struct key age_keys[] = {{.name = "clock", .read = rules_read_clock, .is_required = true},
                                      {.name = "until", .read = read_until}};

static void read_age_from(struct reader *r, struct fy_node *node, void *target)
{
    if (node && fy_node_is_mapping(node))
        policy_mapping(r, node, "`age-from`", age_keys, 2, target);
    else
        rules_read_clock(r, node, target);
}

/* ---- rules ---- */

static void read_rule_name(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_rule *rule = target;
    rule->name = policy_string(r, node, "`name`");
    if (rule->name && strlen(rule->name) > 64)
        policy_complain(r, node_position(node), "at most 64 bytes", NULL, "the name of a rule is too long");
}

static void check_pattern(struct reader *r, struct fy_node *node, const char *path)
{
    struct olv_error err = {0};
    struct olv_pattern *pattern = olv_pattern_new(path, strlen(path), &err);
    if (!pattern)
        policy_complain(r, node_position(node), "a path or a pattern (olvido help patterns)", NULL, "%s",
                        err.what);
    olv_pattern_free(pattern);
}

static const char *read_path(struct reader *r, struct fy_node *node)
{
    const char *path = policy_string(r, node, "`under`");
    if (path && path[0] != '/')
        policy_complain(r, node_position(node), "an absolute path, beginning with /", NULL,
                        "`%s` is not an absolute path", path);
    if (path)
        check_pattern(r, node, path);
    return path;
}

static void read_under(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_rule *rule = target;
    struct fy_node *item;
    void *iterator = NULL;
    const char **paths;
    bool is_list = node && fy_node_is_sequence(node);
    paths = is_list ? policy_items(r, node, "`under`", MOST_PATHS, sizeof *paths)
                    : olv_arena_alloc(r->arena, sizeof *paths);
    if (!paths)
        return;
    rule->under = paths;
    if (!is_list)
        paths[rule->under_count++] = read_path(r, node);
    while (is_list && (item = fy_node_sequence_iterate(node, &iterator)))
        paths[rule->under_count++] = read_path(r, item);
}

static void complain_in_statement(void *self, const struct expr_complaint *c)
{
    struct reader *r = self;
    policy_complain(r, value_position(&r->doc, r->statement, c->offset, c->len), c->expected, c->nearest,
                    "%s", c->message);
}

static void read_where(struct reader *r, struct fy_node *node, void *target)
{
    struct expr_parse_options options = {r, complain_in_statement, olv_user_id, olv_group_id,
                                         r->policy->zone};
    struct olv_rule *rule = target;
    rule->where = policy_string(r, node, "`where`");
    if (!rule->where)
        return;
    r->statement = node;
    rule->where_expr = expr_parse(rule->where, strlen(rule->where), r->arena, &options);
    rule->has_directories = rule->where_expr && expr_can_be_directory(rule->where_expr);
}

static const struct key rule_keys[] = {
    {.name = "name", .read = read_rule_name, .is_required = true},
    {.name = "note", .type = KEY_TEXT, .at = offsetof(struct olv_rule, note)},
    {.name = "under", .read = read_under, .is_required = true},
    {.name = "where", .read = read_where},
    {.name = "steps", .read = read_steps, .is_required = true},
    {.name = "age-from", .read = read_age_from},
    {.name = "settle", .type = KEY_DURATION, .at = offsetof(struct olv_rule, settle)},
    {.name = "notice", .type = KEY_DURATION, .at = offsetof(struct olv_rule, notice)},
    {.name = "open-too", .type = KEY_TRUTH, .at = offsetof(struct olv_rule, open_too)},
};

static void check_name_is_new(struct reader *r, struct fy_node *item, const struct olv_rule *rule)
{
    for (const struct olv_rule *other = r->policy->rules; other < rule; other++)
        if (rule->name && other->name && strcmp(rule->name, other->name) == 0)
            policy_complain(r, node_position(fy_node_mapping_lookup_by_string(item, "name", FY_NT)),
                            "a name of its own", NULL,
                            "there are two rules named `%s` (the first in line %d)", rule->name, other->line);
}

/* ---- what a rule is, in one digest ---- */

static void rules_put(struct olv_hasher *hasher, const char *text)
{
    olv_hasher_add(hasher, text ? text : "", text ? strlen(text) + 1 : 1);
}

static void put_numbers(struct olv_hasher *hasher, const int64_t *numbers, size_t count)
{
    char text[32];
    for (size_t i = 0; i < count; i++) {
        snprintf(text, sizeof text, "%lld", (long long)numbers[i]);
        rules_put(hasher, text);
    }
}

static const char *const period_words[] = {
    [OLV_PERIOD_NONE] = "none", [OLV_PERIOD_MONTH] = "month", [OLV_PERIOD_YEAR] = "year"};

static void digest_step(struct olv_hasher *hasher, const struct olv_step *step)
{
    rules_put(hasher, step->act->word);
    put_numbers(hasher, (int64_t[]){step->after.months, step->after.seconds, step->may_run_unattended}, 3);
    for (const struct olv_key *key = step->act->keys; key && key->name && step->arguments; key++) {
        struct olv_text value = {0};
        if (!(key->by & OLV_BY_STEP))
            continue;
        key_spell(key, step->arguments, &value);
        rules_put(hasher, key->name);
        rules_put(hasher, olv_text_string(&value));
        olv_text_free(&value);
    }
}

/* In words, because numbers are the compiler's. Name and notes are for people; `notice` only says when a
 * change takes effect. */
static void digest_rule(struct olv_rule *rule)
{
    struct olv_hasher *hasher = olv_hasher_new();
    if (!hasher)
        return;
    olv_hasher_begin(hasher);
    for (size_t i = 0; i < rule->under_count; i++)
        rules_put(hasher, rule->under[i]);
    rules_put(hasher, rule->where);
    rules_put(hasher, rule->name_date);
    rules_put(hasher, olv_clock_word(rule->clock));
    rules_put(hasher, period_words[rule->until]);
    put_numbers(hasher, (int64_t[]){rule->settle.months, rule->settle.seconds, rule->open_too}, 3);
    for (size_t i = 0; i < rule->step_count; i++)
        digest_step(hasher, &rule->steps[i]);
    olv_hasher_end(hasher, rule->digest);
    olv_hasher_free(hasher);
}

void read_rules(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_policy *policy = target;
    struct fy_node *item;
    void *iterator = NULL;
    policy->rules = policy_items(r, node, "`rules`", MOST_RULES, sizeof *policy->rules);
    while (policy->rules && (item = fy_node_sequence_iterate(node, &iterator))) {
        struct olv_rule *rule = &policy->rules[policy->rule_count++];
        rule->line = policy_line(r, node_position(item));
        rule->settle.seconds = OLV_SETTLE_S;
        rule->notice.seconds = OLV_NOTICE_S;
        policy_mapping(r, item, "a rule", rule_keys, sizeof rule_keys / sizeof *rule_keys, rule);
        check_name_is_new(r, item, rule);
        check_steps_fit(r, item, rule);
        digest_rule(rule);
    }
}
