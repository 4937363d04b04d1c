/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/permit.h"
#include "cli/views.h"

#include <string.h>

static void row(struct table *table, const char *rule, enum term_style style, const char *what,
                const struct olv_tally *tally)
{
    struct olv_text text = {0};
    olv_text_puts(&text, what);
    if (tally->directories)
        olv_text_printf(&text, ", %s", COUNT(tally->directories, "directory", "directories"));
    table_name(table, STYLE_HEADING, rule);
    table_text(table, style, &text);
    table_number(table, style, tally->files);
    table_size(table, style, tally->bytes);
    table_cell(table, style, olv_tally_is_empty(tally) ? "" : DATE(tally->oldest));
}

static enum term_style style_of(const struct olv_step *step, const struct olv_tally *due)
{
    if (olv_tally_is_empty(due) || step->act->traits & OLV_KEEPS)
        return STYLE_FAINT;
    return step->act->traits & OLV_TOUCHES ? STYLE_WARN : STYLE_PLAIN;
}

static void print_rule(struct table *table, const struct olv_rule *rule, const struct olv_rule_tally *tally)
{
    struct olv_text what = {0};
    const char *first = rule->name;
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_step *step = &rule->steps[i];
        olv_text_clear(&what);
        olv_text_printf(&what, "%s after %s", step->act->word, step->after_text);
        row(table, first, style_of(step, &tally->steps[i]), olv_text_string(&what), &tally->steps[i]);
        first = "";
    }
    for (int reason = 0; reason < OLV_UNDECIDED; reason++)
        if (!olv_tally_is_empty(&tally->by_reason[reason]))
            row(table, first, STYLE_FAINT, olv_reason_words((enum olv_reason)reason),
                &tally->by_reason[reason]);
    olv_text_free(&what);
}

static void print_trash(struct table *table, const struct olv_policy *policy, const struct olv_plan *plan)
{
    struct olv_text what = {0};
    bool is_due = plan->trash_reason == OLV_DUE;
    if (plan->trash.files == 0)
        return;
    olv_text_printf(&what, is_due ? "clear after %s" : "%s",
                    is_due ? policy->trash_keep_text : olv_reason_words(plan->trash_reason));
    if (plan->trash_directories)
        olv_text_printf(
            &what, ", %s with %s",
            COUNT(plan->trash_directories, "directory among the items", "directories among the items"),
            COUNT(plan->trash_files, "file in all", "files in all"));
    row(table, "trash", is_due ? STYLE_WARN : STYLE_FAINT, olv_text_string(&what), &plan->trash);
    olv_text_free(&what);
}

/* Which rules exceed a limit, before anybody is asked. */
static void print_limits(const struct olv_policy *policy, const struct olv_plan *plan, const bool *selected)
{
    struct olv_spent spent = {0};
    struct olv_text line = {0};
    for (size_t i = 0; i < policy->rule_count; i++) {
        struct olv_tally due;
        struct olv_excess excess;
        if (selected && !selected[i])
            continue;
        excess = olv_excess_of(policy, i, &plan->rules[i], spent, &due);
        spent.files += due.files;
        spent.bytes += due.bytes;
        if (excess.limit == OLV_LIMIT_NONE)
            continue;
        olv_text_clear(&line);
        term_name(&line, policy->rules[i].name);
        olv_text_printf(&line, ": %s", COUNT(excess.files, "file is due", "files are due"));
        if (excess.limit != OLV_LIMIT_SHARE && spent.files > excess.files)
            olv_text_printf(&line, ", %s with the rules before it", NUMBER(spent.files));
        olv_text_puts(&line, ". ");
        permit_describe_limit(policy, &excess, &line);
        printf("\n%s.\n", olv_text_string(&line));
    }
    olv_text_free(&line);
}

static void plan_view_print(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
                            const bool *selected)
{
    static const struct table_column columns[] = {{.heading = "Rule"},
                                                  {.heading = "What", .is_elastic = true},
                                                  {.heading = "Files", .is_right = true},
                                                  {.heading = "Size", .is_right = true},
                                                  {.heading = "Oldest"}};
    struct table *table;
    struct olv_text line = {0};
    if (policy->title)
        term_name(&line, policy->title);
    olv_text_printf(&line, "%sas of %s", policy->title ? ", " : "", DATE(plan->as_of));
    printf("%s\n\n", olv_text_string(&line));
    table = table_begin(cli, columns, sizeof columns / sizeof *columns);
    for (size_t i = 0; i < policy->rule_count; i++)
        if (!selected || selected[i])
            print_rule(table, &policy->rules[i], &plan->rules[i]);
    print_trash(table, policy, plan);
    table_end(table);
    print_limits(policy, plan, selected);
    printf("\n%s %s due (%s); %s to no rule", FILES(plan->due.files, plan->due.directories),
           plan->due.files + plan->due.directories == 1 ? "is" : "are", SIZE(plan->due.bytes),
           COUNT(plan->not_owned, "file belongs", "files belong"));
    if (plan->stored.files)
        printf("; %s in depots (%s)", COUNT(plan->stored.files, "file lies", "files lie"),
               SIZE(plan->stored.bytes));
    if (plan->stored_not_owned)
        printf(", %s of them kept because no rule owns them", NUMBER(plan->stored_not_owned));
    putchar('\n');
    olv_text_free(&line);
}

void plan_print_gaps(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan)
{
    watch_print_troubles(cli);
    for (size_t i = 0; i < policy->rule_count; i++) {
        uint64_t files = plan->rules[i].by_reason[OLV_UNDECIDED].files;
        if (files)
            term_message(
                cli, STYLE_WARN,
                "rule %s: %s left alone because its `where` could not be decided (a fact is missing, "
                "or a pattern took too long)",
                policy->rules[i].name, COUNT(files, "file", "files"));
    }
    if (plan->troubles)
        cli_mark(cli, STATUS_SOME_FAILED);
}

void plan_print_told(struct cli *cli, const struct olv_plan *plan)
{
    struct docket_filter filter = {
        .which = DOCKET_TOLD, .most = cli_has(cli, OPT_VERBOSE) ? 0 : 20, .heading = "\nTold of:\n"};
    struct olv_error err = {0};
    if (cli_has(cli, OPT_JSON) || cli_has(cli, OPT_QUIET))
        return;
    if (!docket_print(cli, plan->docket, filter, &err))
        cli_report(cli, &err);
}

static json_t *json_of(const struct olv_tally *tally)
{
    json_t *json = json_object();
    olv_json_number(json, "files", tally->files);
    olv_json_number(json, "size", tally->bytes);
    if (tally->directories)
        olv_json_number(json, "directories", tally->directories);
    if (!olv_tally_is_empty(tally))
        olv_json_instant(json, "oldest", tally->oldest);
    return json;
}

static json_t *json_of_rule(const struct olv_rule *rule, const struct olv_rule_tally *tally)
{
    json_t *json = json_object(), *steps = json_array();
    olv_json_string(json, "rule", rule->name);
    json_object_set_new(json, "owned", json_of(&tally->owned));
    for (size_t i = 0; i < rule->step_count; i++) {
        json_t *step = json_of(&tally->steps[i]);
        olv_json_number(step, "step", i + 1);
        olv_json_string(step, "act", rule->steps[i].act->word);
        olv_json_string(step, "after", rule->steps[i].after_text);
        json_array_append_new(steps, step);
    }
    json_object_set_new(json, "steps", steps);
    for (int reason = OLV_HAD; reason < OLV_UNDECIDED; reason++)
        json_object_set_new(json, olv_reason_key((enum olv_reason)reason),
                            json_of(&tally->by_reason[reason]));
    olv_json_number(json, "undecided", tally->by_reason[OLV_UNDECIDED].files);
    return json;
}

static void plan_view_print_json(const struct olv_policy *policy, const struct olv_plan *plan)
{
    json_t *json = json_object(), *rules = json_array();
    olv_json_name(json, "policy", policy->path);
    olv_json_instant(json, "as_of", plan->as_of);
    olv_json_number(json, "looked_at", plan->looked_at);
    olv_json_number(json, "not_owned", plan->not_owned);
    olv_json_number(json, "unreadable", plan->troubles);
    olv_json_number(json, "stored_files", plan->stored.files);
    olv_json_number(json, "stored_size", plan->stored.bytes);
    olv_json_number(json, "stored_not_owned", plan->stored_not_owned);
    olv_json_number(json, "due_files", plan->due.files);
    olv_json_number(json, "due_directories", plan->due.directories);
    olv_json_number(json, "due_size", plan->due.bytes);
    for (size_t i = 0; i < policy->rule_count; i++)
        json_array_append_new(rules, json_of_rule(&policy->rules[i], &plan->rules[i]));
    json_object_set_new(json, "rules", rules);
    if (policy->has_trash_keep) {
        json_t *trash = json_of(&plan->trash);
        olv_json_string(trash, "after", policy->trash_keep_text);
        olv_json_string(trash, "reason", olv_reason_key(plan->trash_reason));
        json_object_set_new(json, "trash", trash);
    }
    cli_print_json(json);
}

void plan_show(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
               const bool *selected)
{
    if (cli_has(cli, OPT_JSON))
        plan_view_print_json(policy, plan);
    else
        plan_view_print(cli, policy, plan, selected);
}
