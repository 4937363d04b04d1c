/* SPDX-License-Identifier: Apache-2.0 */
/* The steps of a rule: what is done, when, and how. */
#include "policy/sections.h"

#include "olvido/nearest.h"

#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_STEPS = 100, NO_LEVEL = INT_MIN };

static void read_after(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_step *step = target;
    if (policy_duration(r, node, &step->after))
        step->after_text = policy_string(r, node, "`after`");
}

static bool is_built(enum olv_act_id act)
{
    return act == OLV_ACT_KEEP || act == OLV_ACT_TELL || act == OLV_ACT_COMPRESS || act == OLV_ACT_ARCHIVE ||
           act == OLV_ACT_DISCARD || act == OLV_ACT_DELETE;
}

static void read_do(struct reader *r, struct fy_node *node, void *target)
{
    static const char expected[] = "keep, tell, compress, archive, discard or delete";
    const char *names[OLV_ACT_RECOVER];
    struct olv_step *step = target;
    int act;
    for (act = 0; act < OLV_ACT_RECOVER; act++)
        names[act] = olv_act_word((enum olv_act_id)act);
    act = policy_word(r, node, "act", names, OLV_ACT_RECOVER, expected);
    if (act < 0)
        return;
    step->act = (enum olv_act_id)act;
    if (!is_built(step->act))
        policy_complain(r, node_place(node), expected, NULL, "the act `%s` is not built yet", names[act]);
}

static void read_step_unattended(struct reader *r, struct fy_node *node, void *target)
{
    policy_truth(r, node, &((struct olv_step *)target)->may_run_unattended);
}

/* ---- how ---- */

static void read_as(struct reader *r, struct fy_node *node, void *target)
{
    static const char *const words[] = {"gzip", "bzip2", "xz", "zstd"};
    int word = policy_word(r, node, "format", words, 4, "gzip, bzip2, xz or zstd");
    if (word >= 0)
        ((struct olv_step *)target)->codec = olv_codec_of_word(words[word], strlen(words[word]));
}

static void read_step_pack(struct reader *r, struct fy_node *node, void *target)
{
    enum olv_codec codec = read_pack(r, node);
    if (codec != OLV_CODEC_COUNT)
        ((struct olv_step *)target)->codec = codec;
}

/* Whether the format has that level is known when all of the step was read. */
static void read_level(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_step *step = target;
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    char *end = NULL;
    long level = text && len > 0 && len < 8 && text[0] >= '0' && text[0] <= '9' ? strtol(text, &end, 10) : -1;
    if (level < 0 || end != text + len)
        policy_complain(r, node_place(node), "a whole number, such as 3", NULL, "this is no level");
    else
        step->level = (int)level;
}

static void read_step_depot(struct reader *r, struct fy_node *node, void *target)
{
    const struct olv_policy *policy = r->policy;
    struct olv_step *step = target;
    const char *name = policy_string(r, node, "`depot`"), *names[MOST_DEPOTS] = {NULL};
    for (size_t i = 0; name && i < policy->depot_count; i++) {
        names[i] = policy->depots[i].name ? policy->depots[i].name : "";
        if (strcmp(names[i], name) == 0)
            step->depot = &policy->depots[i];
    }
    if (name && !step->depot)
        policy_complain(r, node_place(node), "a name from `depots`",
                        olv_nearest(name, strlen(name), names, policy->depot_count),
                        "the policy has no depot `%s`", name);
}

static const char *const one_per_words[OLV_PER_COUNT] = {"run", "day", "month", "year", "directory"};

const char *olv_one_per_word(enum olv_one_per one_per)
{
    return one_per_words[one_per];
}

static void read_one_per(struct reader *r, struct fy_node *node, void *target)
{
    int word =
        policy_word(r, node, "period", one_per_words, OLV_PER_COUNT, "run, day, month, year or directory");
    if (word >= 0)
        ((struct olv_step *)target)->one_per = (enum olv_one_per)word;
}

static const struct key step_keys[] = {
    {"after", read_after, true},
    {"do", read_do, true},
    {"unattended", read_step_unattended, false},
    {"depot", read_step_depot, false},
    {"one-per", read_one_per, false},
    {"pack", read_step_pack, false},
    {"level", read_level, false},
    {"as", read_as, false},
    {"into", NULL, false},
    {"if-exists", NULL, false},
};

/* Which acts a key is for; the others are for all. */
static const struct {
    const char *name;
    unsigned acts; /* 1 << act */
} of_acts[] = {
    {"depot", 1u << OLV_ACT_ARCHIVE}, {"one-per", 1u << OLV_ACT_ARCHIVE},
    {"pack", 1u << OLV_ACT_ARCHIVE},  {"level", 1u << OLV_ACT_ARCHIVE | 1u << OLV_ACT_COMPRESS},
    {"as", 1u << OLV_ACT_COMPRESS},
};

static struct fy_node *value_of(struct fy_node *mapping, const char *name)
{
    return mapping && fy_node_is_mapping(mapping) ? fy_node_mapping_lookup_by_string(mapping, name, FY_NT)
                                                  : NULL;
}

static void check_keys(struct reader *r, struct fy_node *item, const struct olv_step *step)
{
    for (size_t i = 0; i < sizeof of_acts / sizeof *of_acts; i++) {
        struct fy_node *node = value_of(item, of_acts[i].name);
        if (node && !(of_acts[i].acts & 1u << step->act))
            policy_complain(r, node_place(node), NULL, NULL, "`%s` says nothing about the act `%s`",
                            of_acts[i].name, olv_act_word(step->act));
    }
}

static void check_level(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    struct olv_levels levels = olv_codec_levels(step->codec);
    struct fy_node *node = value_of(item, "level");
    char range[48];
    if (step->level == NO_LEVEL)
        step->level = levels.usual;
    else if (step->codec == OLV_CODEC_NONE)
        policy_complain(r, node_place(node), NULL, NULL, "what is not compressed has no level");
    else if (step->level < levels.least || step->level > levels.most) {
        snprintf(range, sizeof range, "%d to %d", levels.least, levels.most);
        policy_complain(r, node_place(node), range, NULL, "%s has no level %d", olv_codec_word(step->codec),
                        step->level);
    }
}

/* What a step does not say is as its depot has it, or as it usually is. */
static void complete(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    if (step->act == OLV_ACT_ARCHIVE && !value_of(item, "depot"))
        policy_complain(r, node_place(item), "depot: NAME", NULL, "a step that archives has no `depot`");
    if (step->codec == OLV_CODEC_COUNT && step->act == OLV_ACT_ARCHIVE && step->depot)
        step->codec = step->depot->codec;
    if (step->codec == OLV_CODEC_COUNT)
        step->codec = OLV_CODEC_ZSTD;
    if (step->act == OLV_ACT_ARCHIVE || step->act == OLV_ACT_COMPRESS) {
        check_level(r, item, step);
    } else {
        step->level = 0;
        step->codec = OLV_CODEC_NONE;
    }
}

static void read_step(struct reader *r, struct fy_node *item, struct olv_step *step)
{
    size_t errors = r->list->errors;
    step->line = policy_line(r, node_place(item));
    step->codec = OLV_CODEC_COUNT;
    step->level = NO_LEVEL;
    policy_mapping(r, item, "a step", step_keys, sizeof step_keys / sizeof *step_keys, step);
    if (r->list->errors == errors)
        check_keys(r, item, step);
    complete(r, item, step);
}

static int by_after(const void *a, const void *b)
{
    const struct olv_step *x = a, *y = b;
    int order = olv_duration_compare(x->after, y->after);
    return order ? order : x->number - y->number; /* what is equal stays in the order of the file */
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
        enum olv_act_id act = rule->steps[i].act;
        if (act == OLV_ACT_COMPRESS || act == OLV_ACT_ARCHIVE || act == OLV_ACT_DELETE)
            policy_complain(r, node_place(value_of(item, "where")), "a `where` about files", NULL,
                            "a rule about directories cannot %s: that is done file by file",
                            olv_act_word(act));
    }
}
