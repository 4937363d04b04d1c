/* SPDX-License-Identifier: Apache-2.0 */
/* Warns of what is valid, but probably unintended, as far as the file itself shows it; engine/fitness.c
 * examines what depends on the machine. */
#include "policy/sections.h"

#include "olvido/pattern.h"
#include "policy/expr.h"

#include <string.h>

static bool is_at_or_below(const char *path, const char *top)
{
    size_t n = strlen(top);
    while (n > 1 && top[n - 1] == '/')
        n--;
    if (strncmp(path, top, n) != 0 || olv_pattern_is_one(top, strlen(top)))
        return strcmp(path, top) == 0;
    return path[n] == '\0' || path[n] == '/' || n == 1;
}

static bool covers_paths(const struct olv_rule *wide, const struct olv_rule *narrow)
{
    for (size_t i = 0; i < narrow->under_count; i++) {
        size_t k = 0;
        while (k < wide->under_count && !is_at_or_below(narrow->under[i], wide->under[k]))
            k++;
        if (k == wide->under_count)
            return false;
    }
    return true;
}

/* Whether every file of `later` already belongs to `earlier`. */
static bool covers(const struct olv_rule *earlier, const struct olv_rule *later)
{
    bool is_about_files = !later->where_expr || !later->where_expr->names_kind;
    if (!covers_paths(earlier, later))
        return false;
    if (!earlier->where)
        return is_about_files;
    return later->where && strcmp(earlier->where, later->where) == 0 && !strstr(later->where, "path") &&
           !strstr(later->where, "depth");
}

static void advise_on_match(struct reader *r, const struct olv_rule *rule)
{
    const char *why = rule->where_expr ? expr_contradiction(rule->where_expr) : NULL;
    if (why)
        policy_warn(r, rule->line, "rule %s can never match: %s", rule->name, why);
    for (const struct olv_rule *other = r->policy->rules; !why && other < rule; other++)
        if (covers(other, rule)) {
            policy_warn(r, rule->line, "rule %s can never match: all its files belong to rule %s (line %d)",
                        rule->name, other->name, other->line);
            return;
        }
}

/* A step after one that took the files elsewhere may never come. */
static void advise_on_reach(struct reader *r, const struct olv_rule *rule, const struct olv_step *before,
                            const struct olv_step *step)
{
    const char *after = step->after_text;
    if (before->act == step->act || before->act->traits & OLV_EMPTY_ONLY)
        return; /* what is not empty goes on */
    switch (before->act->destination) {
    case OLV_TO_NOWHERE:
        policy_warn(r, step->line, "after %s the files of rule %s have been deleted: this step never comes",
                    after, rule->name);
        break;
    case OLV_TO_DEPOT:
        if (!(step->act->traits & OLV_IN_STORES))
            policy_warn(r, step->line,
                        "after %s the files of rule %s lie in a depot, where only `delete` reaches them",
                        after, rule->name);
        break;
    case OLV_TO_TRASH:
        if (!(step->act->traits & OLV_IN_STORES))
            policy_warn(r, step->line,
                        "after %s the files of rule %s lie in the trash, where only `delete` reaches them",
                        after, rule->name);
        break;
    default:
        break;
    }
}

static void advise_on_steps(struct reader *r, const struct olv_rule *rule)
{
    for (size_t i = 1; i < rule->step_count; i++) {
        const struct olv_step *before = &rule->steps[i - 1], *step = &rule->steps[i];
        if (olv_duration_compare(before->after, step->after) == 0)
            policy_warn(r, before->line, "two steps of rule %s come after %s: only the last of them counts",
                        rule->name, step->after_text);
        else if (before->number > step->number)
            policy_warn(r, before->line,
                        "the steps of rule %s are not in the order of their time: this one comes first",
                        rule->name);
        advise_on_reach(r, rule, before, step);
    }
}

static bool takes_files(const struct olv_policy *policy)
{
    for (size_t i = 0; i < policy->rule_count; i++)
        for (size_t k = 0; k < policy->rules[i].step_count; k++)
            if (policy->rules[i].steps[k].act->traits & OLV_TOUCHES)
                return true;
    return false;
}

void advise(struct reader *r)
{
    const struct olv_policy *policy = r->policy;
    for (size_t i = 0; i < policy->rule_count; i++) {
        advise_on_match(r, &policy->rules[i]);
        advise_on_steps(r, &policy->rules[i]);
    }
    if (!policy->limits.line && takes_files(policy))
        policy_warn(r, 1,
                    "there are no limits, so a mistake in a rule is carried out in full; for example: "
                    "limits: { files: 10000, share: 40%% }");
}
