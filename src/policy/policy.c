/* SPDX-License-Identifier: Apache-2.0 */
/* From the YAML tree to a policy. Each mapping is read through a table of its keys; whatever is wrong is
 * noted and reading goes on, so that one run of `check` finds everything. */
#include "policy/mapping.h"

#include "base/accounts.h"
#include "base/digest.h"
#include "olvido/nearest.h"
#include "policy/expr.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_RULES = 1000, MOST_STEPS = 100, MOST_PATHS = 1000 };

struct olv_policy_memory {
    struct olv_arena arena;
};

/* ---- steps ---- */

static void read_after(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_step *step = target;
    size_t len, at;
    const char *text = policy_scalar(node, &len);
    if (text && olv_duration_parse(text, len, &step->after, &at)) {
        step->after_text = policy_string(r, node, "`after`");
        return;
    }
    policy_complain(r, node_place(node), "a duration, such as 90 days, 1 year 6 months or P90D", NULL,
                    "`%.*s` is no duration", text ? (int)(len > 60 ? 60 : len) : 0, text ? text : "");
}

static bool is_built(enum olv_act_id act)
{
    return act == OLV_ACT_KEEP || act == OLV_ACT_TELL || act == OLV_ACT_DISCARD;
}

static void read_do(struct reader *r, struct fy_node *node, void *target)
{
    const char *names[OLV_ACT_RECOVER], *text;
    struct olv_step *step = target;
    size_t len = 0;
    text = policy_scalar(node, &len);
    for (int act = 0; act < OLV_ACT_RECOVER; act++) {
        names[act] = olv_act_word((enum olv_act_id)act);
        if (!text || strlen(names[act]) != len || memcmp(names[act], text, len) != 0)
            continue;
        step->act = (enum olv_act_id)act;
        if (!is_built(step->act))
            policy_complain(r, node_place(node), "keep, tell or discard", NULL,
                            "the act `%s` is not built yet", names[act]);
        return;
    }
    policy_complain(r, node_place(node), "keep, tell or discard",
                    text ? olv_nearest(text, len, names, OLV_ACT_RECOVER) : NULL, "there is no act `%.*s`",
                    (int)(len > 60 ? 60 : len), text ? text : "");
}

static const struct key step_keys[] = {
    {"after", read_after, true}, {"do", read_do, true},    {"unattended", NULL, false},
    {"depot", NULL, false},      {"one-per", NULL, false}, {"pack", NULL, false},
    {"level", NULL, false},      {"as", NULL, false},      {"into", NULL, false},
    {"if-exists", NULL, false},
};

static int by_after(const void *a, const void *b)
{
    const struct olv_step *x = a, *y = b;
    return olv_duration_compare(x->after, y->after);
}

static void read_steps(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_rule *rule = target;
    struct fy_node *item;
    void *iterator = NULL;
    rule->steps = policy_items(r, node, "`steps`", MOST_STEPS, sizeof *rule->steps);
    while (rule->steps && (item = fy_node_sequence_iterate(node, &iterator)))
        policy_mapping(r, item, "a step", step_keys, sizeof step_keys / sizeof *step_keys,
                       &rule->steps[rule->step_count++]);
    if (rule->steps)
        qsort(rule->steps, rule->step_count, sizeof *rule->steps, by_after);
}

/* ---- rules ---- */

static void read_rule_name(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_rule *rule = target;
    rule->name = policy_string(r, node, "`name`");
    if (rule->name && strlen(rule->name) > 64)
        policy_complain(r, node_place(node), "at most 64 bytes", NULL, "the name of a rule is too long");
}

static void read_rule_note(struct reader *r, struct fy_node *node, void *target)
{
    ((struct olv_rule *)target)->note = policy_string(r, node, "`note`");
}

static const char *read_path(struct reader *r, struct fy_node *node)
{
    const char *path = policy_string(r, node, "`under`");
    if (!path)
        return NULL;
    if (strpbrk(path, "*?"))
        policy_complain(r, node_place(node), "a path", NULL, "globs in `under` are not built yet");
    else if (path[0] != '/')
        policy_complain(r, node_place(node), "an absolute path, beginning with /", NULL,
                        "`%s` is not an absolute path", path);
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
    policy_complain(r, value_place(&r->doc, r->statement, c->offset, c->len), c->expected, c->nearest, "%s",
                    c->message);
}

static void read_where(struct reader *r, struct fy_node *node, void *target)
{
    struct expr_parse_options options = {r, complain_in_statement, olv_user_id, olv_group_id};
    struct olv_rule *rule = target;
    rule->where = policy_string(r, node, "`where`");
    if (!rule->where)
        return;
    r->statement = node;
    rule->where_expr = expr_parse(rule->where, strlen(rule->where), r->arena, &options);
    if (rule->where_expr && rule->where_expr->names_directory)
        policy_complain(r, node_place(node), "a statement about files, links, sockets, pipes or devices",
                        NULL, "rules about directories are not built yet");
}

static const struct key rule_keys[] = {
    {"name", read_rule_name, true}, {"note", read_rule_note, false}, {"under", read_under, true},
    {"where", read_where, false},   {"steps", read_steps, true},     {"age-from", NULL, false},
    {"settle", NULL, false},        {"open-too", NULL, false},       {"notice", NULL, false},
    {"unattended", NULL, false},
};

static void check_name_is_new(struct reader *r, struct fy_node *item, const struct olv_rule *rule)
{
    for (const struct olv_rule *other = r->policy->rules; other < rule; other++)
        if (rule->name && other->name && strcmp(rule->name, other->name) == 0)
            policy_complain(r, node_place(fy_node_mapping_lookup_by_string(item, "name", FY_NT)),
                            "a name of its own", NULL,
                            "there are two rules named `%s` (the first in line %d)", rule->name, other->line);
}

static int line_of(const struct source *source, struct place place)
{
    int line = 1;
    for (size_t i = 0; i < place.offset && i < source->len; i++)
        line += source->text[i] == '\n';
    return line;
}

static void read_rules(struct reader *r, struct fy_node *node, void *target)
{
    struct olv_policy *policy = target;
    struct fy_node *item;
    void *iterator = NULL;
    policy->rules = policy_items(r, node, "`rules`", MOST_RULES, sizeof *policy->rules);
    while (policy->rules && (item = fy_node_sequence_iterate(node, &iterator))) {
        struct olv_rule *rule = &policy->rules[policy->rule_count++];
        rule->line = line_of(&r->doc.source, node_place(item));
        policy_mapping(r, item, "a rule", rule_keys, sizeof rule_keys / sizeof *rule_keys, rule);
        check_name_is_new(r, item, rule);
    }
}

/* ---- the whole file ---- */

static void read_version(struct reader *r, struct fy_node *node, void *target)
{
    size_t len = 0;
    const char *text = policy_scalar(node, &len);
    (void)target;
    if (!text || len != 1 || text[0] != '1')
        policy_complain(r, node_place(node), "1", NULL,
                        "this version of Olvido reads format 1 of the policy only");
}

static void read_title(struct reader *r, struct fy_node *node, void *target)
{
    ((struct olv_policy *)target)->title = policy_string(r, node, "`title`");
}

static void read_author(struct reader *r, struct fy_node *node, void *target)
{
    ((struct olv_policy *)target)->author = policy_string(r, node, "`author`");
}

static void read_note(struct reader *r, struct fy_node *node, void *target)
{
    ((struct olv_policy *)target)->note = policy_string(r, node, "`note`");
}

static const struct key policy_keys[] = {
    {"olvido", read_version, true}, {"title", read_title, false}, {"author", read_author, false},
    {"note", read_note, false},     {"rules", read_rules, true},  {"time-zone", NULL, false},
    {"depots", NULL, false},        {"limits", NULL, false},      {"trash", NULL, false},
};

static void read_policy(struct reader *r)
{
    struct fy_node *root = fy_document_root(r->doc.tree);
    if (!root)
        policy_complain(r, (struct place){0, 0}, "olvido: 1, and rules", NULL, "the policy is empty");
    else
        policy_mapping(r, root, "the policy", policy_keys, sizeof policy_keys / sizeof *policy_keys,
                       r->policy);
}

static struct olv_policy *new_policy(const char *path)
{
    struct olv_policy_memory *memory = calloc(1, sizeof *memory);
    struct olv_policy *policy = memory ? olv_arena_alloc(&memory->arena, sizeof *policy) : NULL;
    if (!policy) {
        free(memory);
        return NULL;
    }
    policy->memory = memory;
    policy->path = olv_arena_copy(&memory->arena, path, strlen(path));
    return policy;
}

static void digest(struct olv_policy *policy, const struct source *source)
{
    struct olv_hasher *hasher = olv_hasher_new();
    if (hasher)
        olv_sha256(hasher, source->text, source->len, policy->digest);
    olv_hasher_free(hasher);
}

struct olv_policy *olv_policy_load(const char *path, struct olv_diagnostics *diagnostics,
                                   struct olv_error *err)
{
    struct reader r = {.list = diagnostics, .policy = new_policy(path)};
    bool ok;
    if (!r.policy) {
        olv_fail_memory(err);
        return NULL;
    }
    r.arena = &r.policy->memory->arena;
    ok = document_read(&r.doc, path, diagnostics, err);
    if (ok) {
        read_policy(&r);
        digest(r.policy, &r.doc.source);
        ok = diagnostics->count == 0 && !r.out_of_memory;
        if (r.out_of_memory)
            olv_fail_memory(err);
        else if (!ok)
            olv_error_at(err, (olv_fail(err, OLV_POLICY, "the policy has errors"), path));
    }
    diagnostics_sort(diagnostics);
    document_close(&r.doc);
    if (ok)
        return r.policy;
    olv_policy_free(r.policy);
    return NULL;
}

void olv_policy_free(struct olv_policy *policy)
{
    struct olv_policy_memory *memory = policy ? policy->memory : NULL;
    if (!memory)
        return;
    for (size_t i = 0; i < policy->rule_count; i++)
        if (policy->rules[i].where_expr)
            expr_release(policy->rules[i].where_expr);
    olv_arena_free(&memory->arena); /* the policy itself is in there */
    free(memory);
}
