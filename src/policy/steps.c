/* SPDX-License-Identifier: Apache-2.0 */
/* The steps of a rule: what to do, when, and how. */
#include "policy/sections.h"
#include "policy/step_keys.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_STEPS = 100 };

static void read_after(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_step *step = target;
    if (policy_duration(r, node, &step->after))
        step->after_text = policy_string(r, node, "`after`");
}

/* Acts that a policy will know later. */
static const char *const planned[] = {"copy", "move", "protect", "destroy", "sweep"};
enum { PLANNED = sizeof planned / sizeof *planned };

/* The words of the acts allowed as steps; for messages, all in one: "a, b or c". */
static int words_of(const char *names[OLV_ACTS_MOST], char *list, size_t size)
{
    int count = 0;
    size_t len = 0;
    for (size_t i = 0; olv_acts[i]; i++)
        if (olv_acts[i]->traits & OLV_BY_POLICY)
            names[count++] = olv_acts[i]->word;
    for (int i = 0; i < count && len < size; i++)
        len += (size_t)snprintf(list + len, size - len, "%s%s", names[i],
                                i + 2 < count    ? ", "
                                : i + 2 == count ? " or "
                                                 : "");
    return count;
}

static void read_do(struct reader *r, struct fy_node *node, void *target)
{
    const char *names[OLV_ACTS_MOST + PLANNED];
    char expected[256];
    int built = words_of(names, expected, sizeof expected), word;
    memcpy(names + built, planned, sizeof planned);
    word = policy_word(r, node, "act", names, (size_t)built + PLANNED, expected);
    if (word >= built)
        policy_complain(r, node_position(node), expected, NULL, "the act `%s` is not built yet", names[word]);
    else if (word >= 0)
        ((struct olv_step *)target)->act = olv_act_named(names[word]);
}

/* ---- the keys of acts ---- */

static const struct key common_keys[] = {
    {.name = "after", .read = read_after, .is_required = true},
    {.name = "do", .read = read_do, .is_required = true},
    {.name = "unattended", .type = KEY_TRUTH, .at = offsetof(struct olv_step, may_run_unattended)},
    {.name = "into", .type = KEY_UNBUILT},
    {.name = "if-exists", .type = KEY_UNBUILT},
};

static const struct step_key *key_of(const struct olv_act *act, const char *name)
{
    for (const struct step_key *key = act->keys; key && key->name; key++)
        if (strcmp(key->name, name) == 0)
            return key;
    return NULL;
}

/* The common keys, and those of all acts, each once. */
static size_t all_keys(struct key out[MOST_KEYS])
{
    size_t count = sizeof common_keys / sizeof *common_keys;
    memcpy(out, common_keys, sizeof common_keys);
    for (size_t i = 0; olv_acts[i]; i++)
        for (const struct step_key *key = olv_acts[i]->keys; key && key->name; key++) {
            bool is_known = false;
            for (size_t k = 0; k < i; k++)
                is_known |= key_of(olv_acts[k], key->name) != NULL;
            if (!is_known && count < MOST_KEYS)
                out[count++] = (struct key){.name = key->name, .read = key->value->read};
        }
    return count;
}

static struct fy_node *value_of(struct fy_node *mapping, const char *name)
{
    return mapping && fy_node_is_mapping(mapping) ? fy_node_mapping_lookup_by_string(mapping, name, FY_NT)
                                                  : NULL;
}

static void check_keys(struct reader *r, struct fy_node *item, const struct olv_step *step,
                       const struct key *keys, size_t count)
{
    for (size_t i = sizeof common_keys / sizeof *common_keys; i < count; i++) {
        struct fy_node *node = value_of(item, keys[i].name);
        if (node && !key_of(step->act, keys[i].name))
            policy_complain(r, node_position(node), NULL, NULL, "`%s` says nothing about the act `%s`",
                            keys[i].name, step->act->word);
    }
}

/* What a step does not say comes from its depot, or is the default. */
static void complete(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    for (const struct step_key *key = step->act->keys; key && key->name; key++) {
        struct fy_node *given = value_of(item, key->name);
        if (key->is_required && !given)
            policy_complain(r, node_position(item), NULL, NULL, "a step that %ss has no `%s`",
                            step->act->word, key->name);
        if (key->value->complete)
            key->value->complete(r, given, step);
    }
    if (step->codec == OLV_CODEC_COUNT)
        step->codec = OLV_CODEC_NONE;
    if (step->level == NO_LEVEL)
        step->level = 0;
}

static void read_step(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    static const struct olv_act none = {.word = "", .traits = OLV_WHOLE};
    struct key keys[MOST_KEYS];
    size_t errors = r->list->errors, count = all_keys(keys);
    step->line = policy_line(r, node_position(item));
    step->act = &none; /* until it is known */
    step->codec = OLV_CODEC_COUNT;
    step->level = NO_LEVEL;
    policy_mapping(r, item, "a step", keys, count, step);
    if (r->list->errors == errors)
        check_keys(r, item, step, keys, count);
    complete(r, item, step);
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

void check_steps_fit(struct reader *r, struct fy_node *item, const struct olv_rule *rule)
{
    for (size_t i = 0; rule->has_directories && i < rule->step_count; i++) {
        const struct olv_act *act = rule->steps[i].act;
        if (!(act->traits & OLV_WHOLE))
            policy_complain(r, node_position(value_of(item, "where")), "a `where` about files", NULL,
                            "a rule about directories cannot %s: that works file by file", act->word);
    }
}
