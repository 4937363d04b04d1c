/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"
#include "olvido/path.h"

#include <string.h>

/* ---- the tour ---- */

/* One line of the tour. "%s" in the words is the place; --state is added for commands that use the ledger. */
static void demo_view_print_step(const struct cli *cli, const char *words, const char *question,
                                 const char *place)
{
    const char *at = strstr(words, "%s"), *state = cli_value(cli, OPT_STATE);
    struct olv_text line = {0};
    olv_text_puts(&line, "olvido ");
    if (state && strncmp(words, "survey", 6) != 0) {
        olv_text_puts(&line, "--state ");
        term_name(&line, state);
        olv_text_puts(&line, " ");
    }
    olv_text_add(&line, words, at ? (size_t)(at - words) : strlen(words));
    if (at) {
        term_name(&line, place);
        olv_text_puts(&line, at + 2);
    }
    printf("  %s%s%s\n      %s\n", term_begin(cli, STYLE_HEADING), olv_text_string(&line), term_end(cli),
           question);
    olv_text_free(&line);
}

void demo_print_tour(const struct cli *cli, const char *place)
{
    static const char *const steps[][2] = {
        {"survey %s", "how old is it all?"},
        {"--policy %s/policy.yaml check", "is the policy sound?"},
        {"--policy %s/policy.yaml preview", "what would it do? nothing is touched"},
        {"--policy %s/policy.yaml enforce", "do it; it asks first, and what it discards goes to the trash"},
        {"audit show", "what was done?"},
        {"audit verify", "is the record untouched?"},
        {"recover '%s/scratch/*'", "take some of it back"},
        {"discard --matching 'plot-*' %s/scratch", "remove something by hand; it asks first"},
    };
    printf("\nTry:\n");
    for (size_t i = 0; i < sizeof steps / sizeof *steps; i++)
        demo_view_print_step(cli, steps[i][0], steps[i][1], place);
}

/* ---- samples ---- */

struct report {
    struct cli *cli;
    const struct olv_policy *policy;
    const struct olv_plan_options *options;
    struct table *table; /* NULL: JSON */
    size_t place_len;    /* length of the samples' directory in paths, with the slash */
    size_t as_meant, otherwise, not_made;
};

static bool has_step(enum olv_reason reason)
{
    return reason == OLV_DUE || reason == OLV_KEPT;
}

/* Whether the verdict is what the rule means for that age. */
static bool is_as_meant(const struct olv_sample *sample, struct olv_verdict v)
{
    if (v.reason == OLV_NOT_OWNED || v.rule != sample->rule)
        return false;
    if (sample->side == OLV_AFTER)
        return has_step(v.reason) && v.step == sample->step;
    return sample->step == 0 ? v.reason == OLV_NOT_DUE : has_step(v.reason) && v.step + 1 == sample->step;
}

static void say(const struct report *r, const struct olv_sample *sample, struct olv_verdict v,
                struct olv_text *out)
{
    const struct olv_rule *rule = &r->policy->rules[v.rule];
    if (sample->why_not) {
        olv_text_printf(out, "not made: %s", sample->why_not);
        return;
    }
    if (v.reason == OLV_NOT_OWNED) {
        olv_text_puts(out, "no rule fits it");
        return;
    }
    if (v.rule != sample->rule) {
        olv_text_puts(out, "rule ");
        term_name(out, rule->name);
        olv_text_puts(out, " takes it: ");
    }
    if (has_step(v.reason))
        olv_text_printf(out, "%s, %s", rule->steps[v.step].act->word, olv_reason_words(v.reason));
    else
        olv_text_puts(out, olv_reason_words(v.reason));
}

static void demo_view_print_row(struct report *r, const struct olv_sample *sample, struct olv_verdict v,
                                bool is_meant)
{
    const struct olv_rule *rule = &r->policy->rules[sample->rule];
    const struct olv_step *step = &rule->steps[sample->step];
    struct olv_text what = {0}, says = {0};
    olv_text_printf(&what, "%s %s after %s", sample->side == OLV_BEFORE ? "before" : "from", step->act->word,
                    step->after_text);
    say(r, sample, v, &says);
    table_name(r->table, STYLE_HEADING, rule->name);
    table_text(r->table, STYLE_PLAIN, &what);
    table_date(r->table, STYLE_PLAIN, sample->time);
    table_text(r->table, is_meant ? STYLE_GOOD : STYLE_WARN, &says);
    table_name(r->table, STYLE_PLAIN,
               sample->path + r->place_len); /* starts with its number, and is not shortened */
}

static void demo_view_print_json(const struct report *r, const struct olv_sample *sample,
                                 struct olv_verdict v, bool is_meant)
{
    const struct olv_rule *rule = &r->policy->rules[sample->rule];
    json_t *json = json_object();
    olv_json_string(json, "rule", rule->name);
    olv_json_string(json, "act", rule->steps[sample->step].act->word);
    olv_json_string(json, "after", rule->steps[sample->step].after_text);
    olv_json_string(json, "side", sample->side == OLV_BEFORE ? "before" : "after");
    olv_json_instant(json, "time", sample->time);
    olv_json_name(json, "path", sample->path);
    if (sample->why_not) {
        olv_json_string(json, "not_made", sample->why_not);
    } else {
        olv_json_string(json, "state", olv_reason_key(v.reason));
        if (v.reason != OLV_NOT_OWNED)
            olv_json_string(json, "owner", r->policy->rules[v.rule].name);
        if (has_step(v.reason))
            olv_json_string(json, "step", r->policy->rules[v.rule].steps[v.step].act->word);
        json_object_set_new(json, "as_meant", json_boolean(is_meant));
    }
    cli_print_json(json);
}

static bool demo_view_judge(struct report *r, const struct olv_sample *sample, struct olv_error *err)
{
    struct olv_explanation e = {.verdict = {.reason = OLV_NOT_OWNED}};
    bool ok = sample->why_not || olv_explain(&e, r->policy, sample->path, r->options, &r->cli->observer, err);
    bool is_meant = ok && !sample->why_not && is_as_meant(sample, e.verdict);
    if (ok && r->table)
        demo_view_print_row(r, sample, e.verdict, is_meant);
    else if (ok)
        demo_view_print_json(r, sample, e.verdict, is_meant);
    r->as_meant += is_meant;
    r->not_made += sample->why_not != NULL;
    r->otherwise += !is_meant && !sample->why_not;
    olv_explanation_free(&e);
    return ok;
}

static void print_sum(const struct report *r, const struct olv_samples *samples)
{
    struct olv_text path = {0};
    printf("\n%s: %zu as their rule means it", COUNT(samples->count, "sample", "samples"), r->as_meant);
    if (r->otherwise)
        printf(", %zu otherwise (`olvido explain` says why)", r->otherwise);
    if (r->not_made)
        printf(", %zu that could not be made", r->not_made);
    term_word(&path, samples->policy);
    printf("\nTry them: olvido --policy %s preview\n", olv_text_string(&path));
    olv_text_free(&path);
}

bool samples_report(struct cli *cli, const struct olv_policy *policy, const struct olv_samples *samples,
                    const struct olv_plan_options *options)
{
    static const struct table_column columns[] = {{.heading = "Rule"},
                                                  {.heading = "Sample"},
                                                  {.heading = "Of"},
                                                  {.heading = "What the policy says"},
                                                  {.heading = "Where", .is_elastic = true}};
    struct report r = {.cli = cli, .policy = policy, .options = options};
    struct olv_error err = {0};
    bool ok = true;
    r.place_len = (size_t)(olv_path_name(samples->policy) - samples->policy);
    r.table = table_begin(cli, columns, sizeof columns / sizeof *columns);
    for (size_t i = 0; ok && i < samples->count; i++)
        ok = demo_view_judge(&r, &samples->items[i], &err);
    watch_clear(cli);
    if (r.table) {
        table_end(r.table);
        print_sum(&r, samples);
    }
    return ok || cli_report(cli, &err);
}
