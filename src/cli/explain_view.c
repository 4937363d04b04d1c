/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

/* ---- what it is, and whose ---- */

static void print_what(const struct explain_view *x, const struct olv_explanation *e)
{
    char age[OLV_AGE_SIZE];
    facts_line(x->cli, "Is", STYLE_PLAIN, "a %s, %s, last modified %s (%s ago)", olv_kind_word(e->stat.kind),
               SIZE(e->stat.size_bytes), DATE(e->stat.modified),
               olv_age_format(e->stat.modified, x->now, age));
    if (e->was)
        facts_line(x->cli, "Was", STYLE_PLAIN, "%s, %s, before `%s`; its rule goes by that", e->was,
                   SIZE(e->was_bytes), e->was_until->word);
}

static void print_contents(const struct explain_view *x, const struct olv_explanation *e)
{
    if (e->is_summed_up)
        facts_line(x->cli, "Holds", STYLE_PLAIN, "%s, %s", COUNT(e->contents.entries, "entry", "entries"),
                   SIZE(e->contents.bytes));
    if (e->goes_with)
        facts_line(x->cli, "Goes with", STYLE_WARN, "%s, which as a whole is due: %s", e->goes_with,
                   x->policy->rules[e->goes.rule].steps[e->goes.step].act->word);
}

static void print_rule(const struct explain_view *x, const struct olv_explained_rule *r)
{
    const struct olv_rule *rule = &x->policy->rules[r->rule];
    if (r->fits == OLV_YES) {
        facts_line(x->cli, "Rule", STYLE_GOOD, "%s (line %d of the policy)", rule->name, rule->line);
        if (rule->note)
            facts_line(x->cli, "", STYLE_PLAIN, "\"%s\"", rule->note);
        if (*r->why)
            facts_line(x->cli, "", STYLE_PLAIN, "%s", r->why);
    } else if (r->fits == OLV_NO) {
        facts_line(x->cli, "Not", STYLE_FAINT, "%s (line %d): %s", rule->name, rule->line, r->why);
    } else {
        facts_line(x->cli, "Undecided", STYLE_WARN,
                   "%s (line %d): %s; so neither this rule nor a later one takes it", rule->name, rule->line,
                   r->why);
    }
}

static const char *clock_words(const struct olv_explanation *e, enum olv_clock clock)
{
    static const char *const inside[] = {"the last modification in it", "the last access in it",
                                         "the last change of state in it", "the last birth in it",
                                         "the date in its name"};
    static const char *const words[] = {"its last modification", "its last access",
                                        "its last change of state", "its birth", "the date in its name"};
    return e->is_summed_up && e->contents.entries ? inside[clock] : words[clock];
}

static void print_age(const struct explain_view *x, const struct olv_explanation *e,
                      const struct olv_rule *rule)
{
    static const char *const ends[] = {"", "the end of that month", "the end of that year"};
    char age[OLV_AGE_SIZE];
    struct olv_instant as_of = x->as_of;
    if (e->verdict.reason == OLV_NO_DATE) {
        facts_line(x->cli, "Age", STYLE_WARN, "not known: its name has no date of the form %s",
                   rule->name_date);
    } else if (!e->has_start) {
        facts_line(x->cli, "Age", STYLE_WARN, "not credible: by %s it would be from %s",
                   clock_words(e, rule->clock), DATE(e->clock));
    } else if (rule->until == OLV_PERIOD_NONE) {
        facts_line(x->cli, "Age", STYLE_PLAIN, "%s, counted from %s, %s",
                   olv_age_format(e->start, as_of, age), clock_words(e, rule->clock), DATE(e->start));
    } else {
        bool has_begun = olv_instant_compare(e->start, as_of) <= 0;
        facts_line(x->cli, "Age", STYLE_PLAIN, "%s; %s was %s, and the count %s at %s, %s",
                   has_begun ? olv_age_format(e->start, as_of, age) : "none yet", clock_words(e, rule->clock),
                   DATE(e->clock), has_begun ? "began" : "begins", ends[rule->until], DATE(e->start));
    }
}

/* ---- its steps ---- */

static const char *state_of_step(const struct olv_explanation *e, size_t i)
{
    bool is_current = e->verdict.step == i && e->steps[i].has_come;
    if (!e->steps[i].has_come)
        return "to come";
    if (!is_current)
        return "lapsed: a later step is due";
    return e->trash && e->verdict.reason == OLV_STORED ? "done: it lies in the trash"
                                                       : olv_reason_words(e->verdict.reason);
}

static void print_steps(const struct explain_view *x, const struct olv_explanation *e,
                        const struct olv_rule *rule)
{
    const char *label = "Steps";
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_step *step = &rule->steps[i];
        bool is_due = e->verdict.reason == OLV_DUE && e->verdict.step == i && e->steps[i].has_come;
        struct olv_text how = {0};
        olv_arguments_describe(step->act, step->arguments, &how);
        facts_line(x->cli, label, is_due ? STYLE_WARN : STYLE_PLAIN, "%s after %s%s: %s%s%s%s",
                   step->act->word, step->after_text, olv_text_string(&how),
                   e->steps[i].has_time ? DATE(e->steps[i].when) : "no date", e->has_start ? ", " : "",
                   e->has_start ? state_of_step(e, i) : "",
                   step->may_run_unattended || !(step->act->traits & OLV_TOUCHES) ? "" : " (not unattended)");
        olv_text_free(&how);
        label = "";
    }
}

static void print_obstacles(const struct explain_view *x, const struct olv_explanation *e)
{
    for (size_t i = 0; i < e->obstacles.count; i++)
        facts_line(x->cli, i ? "" : "In the way", STYLE_WARN, "%s",
                   olv_obstacle_words(e->obstacles.items[i]));
    if (e->obstacles.count == 0)
        facts_line(x->cli, "In the way", STYLE_PLAIN, "nothing");
}

static void print_stored(const struct explain_view *x, const struct olv_explanation *e)
{
    facts_line(x->cli, "Is", STYLE_PLAIN, "not there any more; it lies in the depot %s", e->depot);
    facts_line(x->cli, "", STYLE_PLAIN, "in %s, archived %s", e->archive, DATE(e->archived));
    facts_line(x->cli, "Was", STYLE_PLAIN, "a %s, %s, last modified %s", olv_kind_word(e->stat.kind),
               SIZE(e->stat.size_bytes), DATE(e->stat.modified));
    if (e->stored_versions > 1)
        facts_line(x->cli, "", STYLE_PLAIN, "the newest of %zu versions", e->stored_versions);
}

static void print_discarded(const struct explain_view *x, const struct olv_explanation *e)
{
    facts_line(x->cli, "Is", STYLE_PLAIN, "not there any more; it lies in the trash %s", e->trash);
    facts_line(x->cli, "", STYLE_PLAIN, "discarded %s", DATE(e->discarded));
    facts_line(x->cli, "Was", STYLE_PLAIN, "a %s, %s, last modified %s", olv_kind_word(e->stat.kind),
               SIZE(e->stat.size_bytes), DATE(e->stat.modified));
}

/* The step of its rule that ends it in the trash, if one does; NULL: none. */
static const struct olv_explained_step *ending_step(const struct explain_view *x,
                                                    const struct olv_explanation *e)
{
    const struct olv_rule *rule = e->steps ? &x->policy->rules[e->verdict.rule] : NULL;
    for (size_t i = 0; rule && i < rule->step_count; i++)
        if (e->steps[i].has_time && rule->steps[i].act->traits & OLV_FINAL &&
            rule->steps[i].act->traits & OLV_IN_STORES)
            return &e->steps[i];
    return NULL;
}

/* Whichever comes first. */
static void print_end(const struct explain_view *x, const struct olv_explanation *e)
{
    const struct olv_explained_step *step = ending_step(x, e);
    bool is_first = e->has_trash_end && (!step || olv_instant_compare(e->trash_end, step->when) < 0);
    if (is_first)
        facts_line(x->cli, "Ends", STYLE_WARN, "%s, by the policy's `trash`%s", DATE(e->trash_end),
                   step ? ", which comes before its rule" : "");
    else if (step)
        facts_line(x->cli, "Ends", STYLE_WARN, "%s, by rule %s%s", DATE(step->when),
                   x->policy->rules[e->verdict.rule].name,
                   e->has_trash_end ? ", which comes before the policy's `trash`" : "");
    else
        facts_line(x->cli, "Ends", STYLE_PLAIN, "nothing ends it there");
}

void explain_print(const struct explain_view *x, const struct olv_explanation *e)
{
    const struct olv_rule *rule;
    if (e->exists) {
        print_what(x, e);
        print_contents(x, e);
    } else if (e->trash) {
        print_discarded(x, e);
    } else {
        print_stored(x, e);
    }
    for (size_t i = 0; i < e->rule_count; i++)
        print_rule(x, &e->rules[i]);
    if (e->verdict.reason == OLV_GONE) {
        facts_line(x->cli, "Rule", STYLE_PLAIN, "none: a person discarded it");
    } else if (e->verdict.reason == OLV_NOT_OWNED) {
        facts_line(x->cli, "Rule", STYLE_PLAIN,
                   e->goes_with    ? "none fits it itself"
                   : e->rule_count ? "none fits: nothing is done to it"
                                   : "none covers this place: nothing is done to it");
    } else if (e->verdict.reason != OLV_UNDECIDED) {
        rule = &x->policy->rules[e->verdict.rule];
        print_age(x, e, rule);
        print_steps(x, e, rule);
    }
    if (e->exists)
        print_obstacles(x, e);
    if (e->trash)
        print_end(x, e);
}

/* ---- for programs ---- */

static json_t *json_of_rules(const struct explain_view *x, const struct olv_explanation *e)
{
    static const char *const words[] = {"no", "yes", "unknown"};
    json_t *rules = json_array();
    for (size_t i = 0; i < e->rule_count; i++) {
        json_t *json = json_object();
        olv_json_string(json, "rule", x->policy->rules[e->rules[i].rule].name);
        olv_json_string(json, "fits", words[e->rules[i].fits]);
        olv_json_name(json, "why", e->rules[i].why);
        json_array_append_new(rules, json);
    }
    return rules;
}

static json_t *json_of_steps(const struct olv_explanation *e, const struct olv_rule *rule)
{
    json_t *steps = json_array();
    for (size_t i = 0; i < rule->step_count; i++) {
        json_t *json = json_object();
        olv_json_string(json, "act", rule->steps[i].act->word);
        olv_json_string(json, "after", rule->steps[i].after_text);
        if (e->steps[i].has_time)
            olv_json_instant(json, "when", e->steps[i].when);
        json_object_set_new(json, "has_come", json_boolean(e->steps[i].has_come));
        json_object_set_new(json, "unattended", json_boolean(rule->steps[i].may_run_unattended));
        json_array_append_new(steps, json);
    }
    return steps;
}

void explain_add_json(const struct explain_view *x, const struct olv_explanation *e, json_t *json)
{
    json_t *obstacles = json_array();
    olv_json_string(json, "kind", olv_kind_word(e->stat.kind));
    olv_json_number(json, "size", e->stat.size_bytes);
    olv_json_instant(json, "modified", e->stat.modified);
    if (e->was) {
        olv_json_name(json, "was", e->was);
        olv_json_number(json, "was_size", e->was_bytes);
    }
    if (e->stored_versions) {
        olv_json_string(json, "depot", e->depot);
        olv_json_name(json, "archive", e->archive);
        olv_json_instant(json, "archived", e->archived);
        olv_json_number(json, "versions", e->stored_versions);
    }
    if (e->trash) {
        olv_json_name(json, "trash", e->trash);
        olv_json_instant(json, "discarded", e->discarded);
        if (e->has_trash_end)
            olv_json_instant(json, "trash_end", e->trash_end);
    }
    if (e->is_summed_up) {
        olv_json_number(json, "entries", e->contents.entries);
        olv_json_number(json, "bytes", e->contents.bytes);
    }
    if (e->goes_with)
        olv_json_name(json, "goes_with", e->goes_with);
    json_object_set_new(json, "asked", json_of_rules(x, e));
    if (e->steps) {
        const struct olv_rule *rule = &x->policy->rules[e->verdict.rule];
        olv_json_string(json, "rule", rule->name);
        olv_json_string(json, "clock", olv_clock_word(rule->clock));
        if (e->has_start)
            olv_json_instant(json, "counted_from", e->start);
        json_object_set_new(json, "steps", json_of_steps(e, rule));
    }
    for (size_t i = 0; i < e->obstacles.count; i++)
        json_array_append_new(obstacles, json_string(olv_obstacle_words(e->obstacles.items[i])));
    json_object_set_new(json, "in_the_way", obstacles);
}
