/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/plan_view.h"

#include "cli/permit.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/machine.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"
#include "olvido/run.h"
#include "olvido/sorter.h"
#include "olvido/trash.h"

#include <limits.h>
#include <string.h>

/* ---- making it ---- */

static bool select_rule(struct cli *cli, const struct olv_policy *policy, const char *name, bool *selected,
                        enum cli_status *status)
{
    const char *names[1000], *near;
    for (size_t i = 0; i < policy->rule_count; i++) {
        names[i] = policy->rules[i].name;
        if (strcmp(names[i], name) != 0)
            continue;
        selected[i] = true;
        return true;
    }
    near = olv_nearest(name, strlen(name), names, policy->rule_count);
    *status = cli_usage(cli, "the policy has no rule `%s`%s%s%s", name, near ? "; did you mean `" : "",
                        near ? near : "", near ? "`?" : "");
    return false;
}

/* A date alone begins where the policy is. */
static bool read_as_of(struct cli *cli, const struct olv_policy *policy, struct olv_plan_options *options,
                       enum cli_status *status)
{
    enum { DATE_ONLY = 10 };
    const char *text = cli_value(cli, OPT_AS_OF);
    options->now = options->as_of = olv_os_now();
    if (!text)
        return true;
    if (!cli_instant(cli, OPT_AS_OF, &options->as_of, status))
        return false;
    if (strlen(text) == DATE_ONLY)
        options->as_of.s = olv_zone_seconds(policy->zone, olv_date_from_seconds(options->as_of.s));
    return true;
}

static struct olv_trashes *find_trashes(void)
{
    struct olv_error err = {0};
    char home[PATH_MAX];
    struct olv_trashes *trashes = olv_trashes_new(olv_trash_home(home, sizeof home, &err) ? home : NULL);
    if (trashes)
        olv_trashes_find(trashes, NULL);
    return trashes;
}

static void guard_trashes(struct olv_guard *guard, const struct olv_trashes *trashes)
{
    struct olv_error err = {0};
    char home[PATH_MAX];
    for (size_t i = 0; trashes && i < olv_trashes_count(trashes); i++)
        olv_guard_add(guard, olv_trash_path(olv_trashes_at(trashes, i)));
    if (olv_trash_home(home, sizeof home, &err))
        olv_guard_add(guard, home); /* also when it cannot be used */
}

static void guard_places(struct cli *cli, const char *policy_path, struct olv_guard *guard)
{
    enum cli_status ignored;
    char path[PATH_MAX];
    olv_guard_add(guard, policy_path);
    if (cli_state_path(cli, path, sizeof path, &ignored))
        olv_guard_add(guard, path);
}

void plan_guard(struct cli *cli, const char *policy_path, struct olv_guard *guard)
{
    struct olv_trashes *trashes = find_trashes();
    guard_places(cli, policy_path, guard);
    olv_guard_add_landmarks(guard);
    guard_trashes(guard, trashes);
    olv_trashes_free(trashes);
}

static bool select_rules(struct cli *cli, const struct olv_policy *policy, bool *selected,
                         enum cli_status *status)
{
    for (size_t i = 0; i < policy->rule_count; i++)
        selected[i] = !cli_has(cli, OPT_RULE);
    for (size_t i = 0; i < cli->options[OPT_RULE].count; i++)
        if (!select_rule(cli, policy, cli->options[OPT_RULE].values[i], selected, status))
            return false;
    return true;
}

static bool is_about_directories(const struct olv_policy *policy)
{
    for (size_t i = 0; i < policy->rule_count; i++)
        if (policy->rules[i].has_directories)
            return true;
    return false;
}

bool plan_prepare(struct cli *cli, const struct olv_policy *policy, const struct plan_request *request,
                  bool *selected, struct plan_setting *out, enum cli_status *status)
{
    struct olv_error err = {0};
    char state[PATH_MAX];
    *out = (struct plan_setting){.options = {.guard = &out->guard,
                                             .selected = selected,
                                             .wants_docket = request->wants_docket,
                                             .is_unattended = request->is_unattended,
                                             .in_notice = request->in_notice,
                                             .is_clock_off = request->is_clock_off}};
    if ((selected && !select_rules(cli, policy, selected, status)) ||
        !read_as_of(cli, policy, &out->options, status) || !cli_state_path(cli, state, sizeof state, status))
        return false;
    out->trashes = find_trashes();
    guard_places(cli, policy->path, &out->guard);
    if (is_about_directories(policy)) /* only directories can be landmarks */
        olv_guard_add_landmarks(&out->guard);
    guard_trashes(&out->guard, out->trashes);
    out->options.trashes = cli_has(cli, OPT_RULE) ? NULL : out->trashes; /* --rule is about that rule alone */
    out->options.respites = out->respites = olv_respites_read(state, out->options.now, &err);
    if (!out->respites)
        *status = cli_report(cli, &err);
    return out->respites != NULL;
}

void plan_release(struct plan_setting *setting)
{
    olv_respites_free(setting->respites);
    olv_trashes_free(setting->trashes);
}

bool plan_for(struct cli *cli, struct olv_policy *policy, const struct plan_request *request,
              struct olv_plan *plan, bool *selected, enum cli_status *status)
{
    struct plan_setting setting;
    struct olv_error err = {0};
    bool ok = plan_prepare(cli, policy, request, selected, &setting, status);
    if (ok && !olv_plan_make(plan, policy, &setting.options, &cli->observer, &err)) {
        *status = cli_report(cli, &err);
        ok = false;
    }
    plan_release(&setting);
    return ok;
}

/* ---- the table ---- */

static void row(struct table *table, const char *rule, enum term_style style, const char *what,
                const struct olv_tally *tally)
{
    struct olv_text files = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    term_number(&files, tally->files);
    table_cell(table, STYLE_HEADING, rule);
    table_cell(table, style, what);
    table_cell(table, style, olv_text_string(&files));
    table_cell(table, style, olv_size_format(tally->bytes, size));
    table_cell(table, style, tally->files ? term_date(tally->oldest, date) : "");
    olv_text_free(&files);
}

static enum term_style style_of(const struct olv_step *step, const struct olv_tally *due)
{
    if (due->files == 0 || step->act == OLV_ACT_KEEP)
        return STYLE_FAINT;
    return step->act == OLV_ACT_TELL ? STYLE_PLAIN : STYLE_WARN;
}

static void print_rule(struct table *table, const struct olv_rule *rule, const struct olv_rule_tally *tally)
{
    struct olv_text name = {0}, what = {0};
    const char *first;
    term_name(&name, rule->name);
    first = olv_text_string(&name);
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_step *step = &rule->steps[i];
        olv_text_clear(&what);
        olv_text_printf(&what, "%s after %s", olv_act_word(step->act), step->after_text);
        row(table, first, style_of(step, &tally->steps[i]), olv_text_string(&what), &tally->steps[i]);
        first = "";
    }
    for (int reason = 0; reason < OLV_UNDECIDED; reason++)
        if (tally->by_reason[reason].files)
            row(table, first, STYLE_FAINT, olv_reason_words((enum olv_reason)reason),
                &tally->by_reason[reason]);
    olv_text_free(&name);
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
    row(table, "trash", is_due ? STYLE_WARN : STYLE_FAINT, olv_text_string(&what), &plan->trash);
    olv_text_free(&what);
}

/* Which rules exceed a limit, before anybody is asked. */
static void print_limits(const struct olv_policy *policy, const struct olv_plan *plan, const bool *selected)
{
    struct olv_spent spent = {0};
    struct olv_text line = {0};
    for (size_t i = 0; i < policy->rule_count; i++) {
        const struct olv_rule_tally *tally = &plan->rules[i];
        struct olv_tally due = {0};
        enum olv_limit limit;
        if (selected[i])
            due = olv_limited_tally(&policy->rules[i], tally);
        limit = olv_limit_exceeded(&policy->limits, spent, &due, tally->owned.files);
        spent.files += due.files;
        spent.bytes += due.bytes;
        if (limit == OLV_LIMIT_NONE)
            continue;
        olv_text_clear(&line);
        term_name(&line, policy->rules[i].name);
        olv_text_puts(&line, ": ");
        permit_describe_limit(policy, limit, &due, tally->owned.files, &line);
        printf("\n%s.\n", olv_text_string(&line));
    }
    olv_text_free(&line);
}

void plan_print(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan,
                const bool *selected)
{
    static const struct table_column columns[] = {{.heading = "Rule"},
                                                  {.heading = "What", .is_elastic = true},
                                                  {.heading = "Files", .is_right = true},
                                                  {.heading = "Size", .is_right = true},
                                                  {.heading = "Oldest"}};
    struct table *table;
    struct olv_text line = {0};
    char date[TERM_DATE], size[OLV_SIZE_TEXT];
    if (policy->title)
        term_name(&line, policy->title);
    olv_text_printf(&line, "%sas of %s", policy->title ? ", " : "", term_date(plan->as_of, date));
    printf("%s\n\n", olv_text_string(&line));
    table = table_begin(cli, columns, sizeof columns / sizeof *columns);
    for (size_t i = 0; i < policy->rule_count; i++)
        if (selected[i])
            print_rule(table, &policy->rules[i], &plan->rules[i]);
    print_trash(table, policy, plan);
    table_end(table);
    print_limits(policy, plan, selected);
    olv_text_clear(&line);
    term_count(&line, plan->due_files, "file is due", "files are due");
    olv_text_printf(&line, " (%s); ", olv_size_format(plan->due_bytes, size));
    term_count(&line, plan->not_owned, "file belongs", "files belong");
    olv_text_puts(&line, " to no rule");
    printf("\n%s\n", olv_text_string(&line));
    olv_text_free(&line);
}

enum cli_status plan_print_gaps(struct cli *cli, const struct olv_policy *policy, const struct olv_plan *plan)
{
    struct olv_text text = {0};
    watch_print_troubles(cli);
    for (size_t i = 0; i < policy->rule_count; i++) {
        if (plan->rules[i].by_reason[OLV_UNDECIDED].files == 0)
            continue;
        olv_text_clear(&text);
        olv_text_puts(&text, "rule ");
        term_name(&text, policy->rules[i].name);
        olv_text_puts(&text, ": ");
        term_count(&text, plan->rules[i].by_reason[OLV_UNDECIDED].files, "file", "files");
        olv_text_puts(&text, " left alone, for its `where` could not be decided (a fact is missing, or a "
                             "pattern took too long)");
        term_message(cli, STYLE_WARN, "%s", olv_text_string(&text));
    }
    olv_text_free(&text);
    return plan->troubles ? STATUS_SOME_FAILED : STATUS_DONE;
}

static json_t *json_of(const struct olv_tally *tally)
{
    json_t *json = json_object();
    olv_json_number(json, "files", tally->files);
    olv_json_number(json, "size", tally->bytes);
    if (tally->files)
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
        olv_json_string(step, "act", olv_act_word(rule->steps[i].act));
        olv_json_string(step, "after", rule->steps[i].after_text);
        json_array_append_new(steps, step);
    }
    json_object_set_new(json, "steps", steps);
    for (int reason = OLV_NOT_DUE; reason < OLV_UNDECIDED; reason++)
        json_object_set_new(json, olv_reason_key((enum olv_reason)reason),
                            json_of(&tally->by_reason[reason]));
    olv_json_number(json, "undecided", tally->by_reason[OLV_UNDECIDED].files);
    return json;
}

void plan_print_json(const struct olv_policy *policy, const struct olv_plan *plan)
{
    json_t *json = json_object(), *rules = json_array();
    olv_json_name(json, "policy", policy->path);
    olv_json_instant(json, "as_of", plan->as_of);
    olv_json_number(json, "looked_at", plan->looked_at);
    olv_json_number(json, "not_owned", plan->not_owned);
    olv_json_number(json, "unreadable", plan->troubles);
    olv_json_number(json, "due_files", plan->due_files);
    olv_json_number(json, "due_size", plan->due_bytes);
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

/* ---- the docket ---- */

/* A record for sorting: these numbers, then the rule's name and the path, each with its NUL. */
struct listed {
    uint64_t size_bytes;
    struct olv_instant due;
    uint32_t step, act, kind;
    size_t rule_len;
};

static bool collect_entry(struct olv_sorter *sorter, const struct olv_docket_entry *e,
                          struct olv_text *record, struct olv_error *err)
{
    struct listed l = {
        olv_docket_entry_size(e), e->due, e->step, (uint32_t)e->act, (uint32_t)e->identity.kind,
        strlen(e->rule_name) + 1};
    olv_text_clear(record);
    olv_text_add(record, &l, sizeof l);
    olv_text_add(record, e->rule_name, l.rule_len);
    olv_docket_entry_path(e, record);
    olv_text_add(record, "", 1);
    if (record->failed)
        return olv_fail_memory(err);
    return olv_sorter_add(sorter, (struct olv_record){e->identity.modified, record->data, record->len}, err);
}

static bool collect_segment(struct olv_sorter *sorter, const struct olv_text *segment, struct docket_filter f,
                            struct olv_error *err)
{
    struct olv_segment_reader *reader = olv_segment_open(segment->data, segment->len, err);
    struct olv_docket_entry e;
    struct olv_text record = {0};
    bool ok = reader != NULL;
    while (ok && olv_segment_next(reader, &e, err))
        if ((!f.by_rule || e.rule == f.rule) && (!f.by_act || e.act == f.act))
            ok = collect_entry(sorter, &e, &record, err);
    olv_segment_close(reader);
    olv_text_free(&record);
    return ok && err->code == OLV_OK;
}

static void print_listed(struct table *table, const struct olv_record *record, const struct listed *l)
{
    const char *rule = (const char *)record->bytes + sizeof *l, *path = rule + l->rule_len;
    struct olv_text name = {0}, rule_name = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    term_name(&name, path);
    term_name(&rule_name, rule);
    table_cell(table, STYLE_PLAIN, term_date(record->key, date));
    table_cell(table, STYLE_PLAIN, olv_size_format(l->size_bytes, size));
    table_cell(table, STYLE_WARN, olv_act_word((enum olv_act_id)l->act));
    table_cell(table, STYLE_FAINT, olv_text_string(&rule_name));
    table_cell(table, STYLE_PLAIN, olv_text_string(&name));
    olv_text_free(&name);
    olv_text_free(&rule_name);
}

static void print_listed_json(const struct olv_record *record, const struct listed *l)
{
    const char *rule = (const char *)record->bytes + sizeof *l;
    json_t *json = json_object();
    olv_json_name(json, "path", rule + l->rule_len);
    olv_json_string(json, "rule", rule);
    olv_json_number(json, "step", l->step);
    olv_json_string(json, "act", olv_act_word((enum olv_act_id)l->act));
    olv_json_instant(json, "due", l->due);
    olv_json_string(json, "kind", olv_kind_word((enum olv_kind)l->kind));
    olv_json_number(json, "size", l->size_bytes);
    olv_json_instant(json, "modified", record->key);
    cli_print_json(json);
}

static void print_sorted(struct cli *cli, struct olv_sorter *sorter, uint64_t most, bool as_json,
                         struct olv_error *err)
{
    static const struct table_column columns[] = {{.heading = "Modified", .width = 16},
                                                  {.heading = "Size", .is_right = true, .width = 10},
                                                  {.heading = "Act", .width = 8},
                                                  {.heading = "Rule", .width = 16},
                                                  {.heading = "Path", .is_elastic = true}};
    struct table *table = as_json ? NULL : table_begin(cli, columns, sizeof columns / sizeof *columns);
    struct olv_record record;
    struct listed l;
    uint64_t count = 0;
    for (; olv_sorter_next(sorter, &record, err); count++) {
        memcpy(&l, record.bytes, sizeof l);
        if (as_json)
            print_listed_json(&record, &l);
        else if (most == 0 || count < most)
            print_listed(table, &record, &l);
    }
    table_end(table);
    if (most && count > most)
        printf("... and %llu more (--verbose names them)\n", (unsigned long long)(count - most));
}

bool docket_print(struct cli *cli, struct olv_spool *docket, struct docket_filter filter, bool as_json,
                  struct olv_error *err)
{
    struct olv_sorter *sorter = olv_sorter_new(err);
    struct olv_text segment = {0};
    bool ok = sorter != NULL;
    olv_spool_rewind(docket);
    while (ok && olv_spool_next(docket, &segment, err))
        ok = collect_segment(sorter, &segment, filter, err);
    ok = ok && err->code == OLV_OK;
    if (ok) {
        watch_clear(cli);
        print_sorted(cli, sorter, filter.most, as_json, err);
    }
    olv_text_free(&segment);
    olv_sorter_free(sorter);
    return ok && err->code == OLV_OK;
}
