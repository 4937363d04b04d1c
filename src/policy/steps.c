/* SPDX-License-Identifier: Apache-2.0 */
/* The steps of a rule: what to do, when, and how. */
#include "keys/keys.h"
#include "olvido/nearest.h"
#include "policy/sections.h"

#include <stdlib.h>
#include <string.h>

enum { MOST_STEPS = 100 };

static void read_after(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_step *step = target;
    if (policy_duration(r, node, &step->after))
        step->after_text = policy_string(r, node, "`after`");
}

static void read_do(struct reader *r, struct fy_node *node, void *target)
{
    const char *names[OLV_ACTS_MOST];
    char expected[256];
    size_t count = 0;
    int word;
    for (size_t i = 0; olv_acts[i]; i++)
        if (!(olv_acts[i]->traits & OLV_BY_HAND_ONLY))
            names[count++] = olv_acts[i]->word;
    olv_list_words(names, count, expected, sizeof expected);
    word = policy_word(r, node, "act", names, count, expected);
    if (word >= 0)
        ((struct olv_step *)target)->act = olv_act_named(names[word]);
}

/* ---- the keys of acts ---- */

static const struct key common_keys[] = {
    {.name = "after", .read = read_after, .is_required = true},
    {.name = "do", .type = KEY_READ_BEFORE, .is_required = true},
    {.name = "unattended", .type = KEY_TRUTH, .at = offsetof(struct olv_step, may_run_unattended)},
};
enum { COMMON = sizeof common_keys / sizeof *common_keys };

static bool has_key(const struct key *keys, size_t count, const char *name)
{
    for (size_t i = 0; i < count; i++)
        if (strcmp(keys[i].name, name) == 0)
            return true;
    return false;
}

static size_t add_keys(struct key keys[MOST_KEYS], size_t count, const struct olv_act *act, struct key as)
{
    for (const struct olv_key *key = act->keys; key && key->name && count < MOST_KEYS; key++) {
        as.name = key->name;
        if (key->by & OLV_BY_STEP && !has_key(keys, count, key->name))
            keys[count++] = as;
    }
    return count;
}

/* The common keys, those of the act, and those of other acts, which say nothing about it. */
static size_t all_keys(const struct olv_act *act, struct key out[MOST_KEYS])
{
    size_t count;
    memcpy(out, common_keys, sizeof common_keys);
    count = add_keys(out, COMMON, act, (struct key){.type = KEY_READ_BEFORE});
    for (size_t i = 0; olv_acts[i]; i++)
        count = add_keys(out, count, olv_acts[i], (struct key){.type = KEY_FOREIGN, .act = act->word});
    return count;
}

static struct fy_node *value_of(struct fy_node *mapping, const char *name)
{
    return mapping && fy_node_is_mapping(mapping) ? fy_node_mapping_lookup_by_string(mapping, name, FY_NT)
                                                  : NULL;
}

static const struct olv_depot *find_depot(struct reader *r, struct fy_node *node, const char *name)
{
    const struct olv_policy *policy = r->policy;
    const struct olv_depot *found = olv_depot_named(policy, name);
    const char *names[MOST_DEPOTS];
    for (size_t i = 0; i < policy->depot_count; i++)
        names[i] = policy->depots[i].name ? policy->depots[i].name : "";
    if (!found)
        policy_complain(r, node_position(node), "a name from `depots`",
                        olv_nearest(name, strlen(name), names, policy->depot_count),
                        "the policy has no depot `%s`", name);
    return found;
}

/* What a step says about its act. */
struct saying {
    struct olv_step *step;
    void *arguments;
    uint64_t given;
    const struct olv_depot *depot;
};

static void read_key(struct reader *r, struct saying *s, unsigned number, struct fy_node *value)
{
    const struct olv_key *key = &s->step->act->keys[number];
    struct key_fault fault = {0};
    size_t len = 0;
    const char *text = policy_scalar(value, &len);
    s->given |= UINT64_C(1) << number;
    if (!key_read(key, text ? text : "", len, s->arguments, r->arena, &fault))
        policy_complain_of(r, value, NULL, &fault);
    else if (key->type == OLV_KEY_DEPOT)
        s->depot = find_depot(r, value, *(const char **)((char *)s->arguments + key->at));
}

/* What a step does not say comes from its depot, or is the default. */
static void read_arguments(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    const struct olv_act *act = step->act;
    struct saying s = {.step = step, .arguments = keys_begin(act, r->arena)};
    struct key_fault fault = {0};
    struct completing completing = {.act = act, .fault = &fault};
    size_t errors = r->list->errors;
    step->arguments = s.arguments;
    r->out_of_memory |= !s.arguments;
    for (unsigned i = 0; s.arguments && act->keys && act->keys[i].name; i++) {
        struct fy_node *value = act->keys[i].by & OLV_BY_STEP ? value_of(item, act->keys[i].name) : NULL;
        if (value)
            read_key(r, &s, i, value);
        else if (act->keys[i].is_required)
            policy_complain(r, node_position(item), NULL, NULL, "a step that %ss has no `%s`", act->word,
                            act->keys[i].name);
    }
    completing.given = s.given;
    completing.depot = s.depot;
    if (s.arguments && r->list->errors == errors && !keys_complete(s.arguments, &completing))
        policy_complain_of(r, value_of(item, fault.key) ? value_of(item, fault.key) : item,
                           fault.against ? value_of(item, fault.against) : NULL, &fault);
    r->out_of_memory |=
        s.arguments && act->traits & OLV_AGAIN_IF_OTHERWISE && !keys_digest(act, s.arguments, step->digest);
}

static void read_step(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    static const struct olv_act none = {.word = "", .traits = OLV_WHOLE};
    struct key keys[MOST_KEYS];
    struct fy_node *act = value_of(item, "do");
    step->line = policy_line(r, node_position(item));
    step->act = &none; /* until it is known */
    if (act)
        read_do(r, act, step);
    policy_mapping(r, item, "a step", keys, all_keys(step->act, keys), step);
    read_arguments(r, item, step);
}

static int by_after(const void *a, const void *b)
{
    const struct olv_step *x = a, *y = b;
    int order = olv_duration_compare(x->after, y->after);
    return order ? order : x->number - y->number; /* equal ones keep the order of the file */
}

void read_steps(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_rule *rule = target;
    struct fy_node *item;
    void *iterator = NULL;
    rule->steps = policy_items(r, node, "`steps`", MOST_STEPS, sizeof *rule->steps);
    while (rule->steps && (item = fy_node_sequence_iterate(node, &iterator))) {
        struct olv_step *step = &rule->steps[rule->step_count++];
        step->number = (int)rule->step_count;
        read_step(r, item, step);
    }
    if (rule->steps)
        qsort(rule->steps, rule->step_count, sizeof *rule->steps, by_after);
}

static bool is_kept_off(const struct olv_act *act)
{
    return act->traits & OLV_TOUCHES && !(act->traits & (OLV_SOURCE_STAYS | OLV_ATTRIBUTES_ONLY));
}

/* What would remove or replace a file that is still protected then. */
static void check_protection(struct reader *r, struct fy_node *steps, const struct olv_rule *rule)
{
    const struct olv_step *protects = NULL;
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_step *step = &rule->steps[i];
        if (step->act->traits & OLV_PROTECTS)
            protects = step;
        if (step->act->traits & OLV_LIFTS)
            protects = NULL;
        if (protects && is_kept_off(step->act))
            policy_complain(r, node_position(fy_node_sequence_get_by_index(steps, step->number - 1)),
                            "a step `do: unprotect` before it", NULL,
                            "it cannot %s what the step in line %d still protects", step->act->word,
                            protects->line);
    }
}

void check_steps_fit(struct reader *r, struct fy_node *item, const struct olv_rule *rule)
{
    check_protection(r, value_of(item, "steps"), rule);
    for (size_t i = 0; !rule->has_directories && i < rule->step_count; i++)
        if (rule->steps[i].act->traits & OLV_EMPTY_ONLY)
            policy_complain(r, node_position(value_of(item, "steps")), "where: kind = directory", NULL,
                            "a rule about files cannot %s: that takes empty directories",
                            rule->steps[i].act->word);
    for (size_t i = 0; rule->has_directories && i < rule->step_count; i++) {
        const struct olv_act *act = rule->steps[i].act;
        if (!(act->traits & (OLV_WHOLE | OLV_EMPTY_ONLY)))
            policy_complain(r, node_position(value_of(item, "where")), "a `where` about files", NULL,
                            "a rule about directories cannot %s: that works file by file", act->word);
    }
}
