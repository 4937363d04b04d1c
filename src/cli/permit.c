/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/permit.h"

#include "cli/docket_view.h"

#include "cli/ask.h"
#include "cli/plan_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/quantity.h"

enum { TYPED_FROM = 10 };

static bool can_ask(const struct permit *p)
{
    return ask_is_possible() && !cli_has(p->cli, OPT_JSON) && !cli_has(p->cli, OPT_UNATTENDED);
}

static void add_share(struct olv_text *out, double millionths)
{
    olv_text_printf(out, "%.4g %%", millionths / 10000.0);
}

void permit_describe_limit(const struct olv_policy *policy, enum olv_limit limit, const struct olv_tally *due,
                           uint64_t owned, struct olv_text *out)
{
    char size[OLV_SIZE_TEXT];
    switch (limit) {
    case OLV_LIMIT_FILES:
        olv_text_puts(out, "That exceeds the limit of ");
        term_count(out, policy->limits.files, "file per run", "files per run");
        break;
    case OLV_LIMIT_BYTES:
        olv_text_printf(out, "That exceeds the limit of %s per run",
                        olv_size_format(policy->limits.bytes, size));
        break;
    case OLV_LIMIT_SHARE:
        olv_text_puts(out, "That is ");
        add_share(out, 1e6 * (double)due->files / (double)owned);
        olv_text_puts(out, " of the ");
        term_count(out, owned, "file", "files");
        olv_text_puts(out, " that the rule owns; the limit is ");
        add_share(out, policy->limits.share_millionths);
        break;
    default:
        break;
    }
}

/* ---- questions ---- */

static void list_rule(struct permit *p, size_t rule)
{
    struct olv_error err = {0};
    struct docket_filter filter = {.by_rule = true, .rule = (uint32_t)rule, .which = DOCKET_TOUCHED};
    if (!docket_print(p->cli, p->plan->docket, filter, false, &err))
        cli_report(p->cli, &err);
}

/* "archive 12 files (3.1 MiB, oldest 2025-01-02 10:00) in cold-room". */
static void put_step(struct olv_text *out, const struct olv_step *step, const struct olv_tally *due)
{
    static const char *const where_to[OLV_DESTINATIONS] = {[OLV_STAYS] = "",
                                                           [OLV_TO_TRASH] = " to the trash",
                                                           [OLV_TO_DEPOT] = "",
                                                           [OLV_TO_NOWHERE] = "",
                                                           [OLV_BACK] = ""};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    olv_text_printf(out, "%s ", step->act->word);
    term_count(out, due->files, "file", "files");
    olv_text_printf(out, " (%s, oldest %s)", olv_size_format(due->bytes, size), term_date(due->oldest, date));
    olv_text_puts(out, where_to[step->act->destination]);
    if (step->act->traits & OLV_FINAL)
        olv_text_puts(out, " for good");
    olv_step_describe(step, out);
}

static void put_steps(struct permit *p, size_t number, struct olv_text *out)
{
    const struct olv_rule *rule = &p->policy->rules[number];
    const char *between = "";
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_tally *due = &p->plan->rules[number].steps[i];
        if (!(rule->steps[i].act->traits & OLV_TOUCHES) || due->files == 0)
            continue;
        olv_text_puts(out, between);
        put_step(out, &rule->steps[i], due);
        between = ", ";
    }
}

static void ask_rule(struct permit *p, size_t rule, const char *limit)
{
    static const char *const answers[] = {"no", "yes", "each", "list", "stop", NULL};
    struct olv_text question = {0};
    int answer;
    term_name(&question, p->policy->rules[rule].name);
    olv_text_puts(&question, ": ");
    put_steps(p, rule, &question);
    olv_text_printf(&question, "?%s%s%s", *limit ? " " : "", limit, *limit ? "." : "");
    while ((answer = ask(p->cli, olv_text_string(&question), answers)) == 3)
        list_rule(p, rule);
    if (answer == 1)
        p->answers[rule] = ANSWER_YES;
    else if (answer == 2)
        p->answers[rule] = ANSWER_EACH;
    else if (answer != 0)
        p->is_stopped = true;
    olv_text_free(&question);
}

/* What a rule would do that cannot be taken back. */
static struct olv_tally final_tally(const struct olv_rule *rule, const struct olv_rule_tally *tally)
{
    struct olv_tally sum = {0};
    for (size_t i = 0; i < rule->step_count; i++)
        if (rule->steps[i].act->traits & OLV_FINAL) {
            sum.files += tally->steps[i].files;
            sum.bytes += tally->steps[i].bytes;
        }
    return sum;
}

/* Everything of this run that cannot be taken back, the trash included: what --count must say. */
static uint64_t final_files(const struct permit *p)
{
    uint64_t files = p->plan->trash_reason == OLV_DUE ? p->plan->trash.files : 0;
    for (size_t i = 0; i < p->policy->rule_count; i++)
        if (p->selected[i])
            files += final_tally(&p->policy->rules[i], &p->plan->rules[i]).files;
    return files;
}

/* Whether --count was given, and then whether it is right. */
static bool count_was_typed(struct permit *p, bool *is_right)
{
    enum cli_status ignored;
    uint64_t given;
    if (!cli_has(p->cli, OPT_COUNT_TYPED))
        return false;
    *is_right = cli_number(p->cli, OPT_COUNT_TYPED, &given, &ignored) && given == final_files(p);
    return true;
}

/* A rule was allowed: what it ends for good needs its count from ten on. */
static void permit_end(struct permit *p, size_t rule)
{
    struct olv_tally due = final_tally(&p->policy->rules[rule], &p->plan->rules[rule]);
    struct olv_text question = {0};
    char size[OLV_SIZE_TEXT];
    bool is_right = true;
    if (due.files == 0 || cli_has(p->cli, OPT_UNATTENDED)) {
        p->may_end[rule] = true;
    } else if (count_was_typed(p, &is_right) || due.files < TYPED_FROM) {
        p->may_end[rule] = is_right;
    } else if (can_ask(p)) {
        term_name(&question, p->policy->rules[rule].name);
        olv_text_puts(&question, ": delete ");
        term_count(&question, due.files, "file", "files");
        olv_text_printf(&question, " (%s) for good? Nothing brings them back.",
                        olv_size_format(due.bytes, size));
        p->may_end[rule] = ask_count(p->cli, olv_text_string(&question), due.files);
    }
    if (!p->may_end[rule])
        p->not_counted += due.files;
    olv_text_free(&question);
}

/* What a rule would do something to. */
static uint64_t touched_files(const struct olv_rule *rule, const struct olv_rule_tally *tally)
{
    uint64_t files = 0;
    for (size_t i = 0; i < rule->step_count; i++)
        files += rule->steps[i].act->traits & OLV_TOUCHES ? tally->steps[i].files : 0;
    return files;
}

static void refuse_rule(struct permit *p, size_t rule, uint64_t files, const char *limit)
{
    struct olv_text text = {0};
    term_name(&text, p->policy->rules[rule].name);
    olv_text_puts(&text, ": refused as a whole, ");
    term_count(&text, files, "file", "files");
    term_message(p->cli, STYLE_WARN, "rule %s. %s", olv_text_string(&text), limit);
    p->over_limit += files;
    olv_text_free(&text);
}

static void permit_rule(struct permit *p, size_t rule, struct olv_spent *spent)
{
    const struct olv_rule_tally *tally = &p->plan->rules[rule];
    struct olv_tally due = {0}; /* as limits count it */
    struct olv_text text = {0};
    enum olv_limit limit;
    uint64_t touched = p->selected[rule] ? touched_files(&p->policy->rules[rule], tally) : 0;
    if (p->selected[rule])
        due = olv_limited_tally(&p->policy->rules[rule], tally);
    limit = olv_limit_exceeded(&p->policy->limits, *spent, &due, tally->owned.files);
    permit_describe_limit(p->policy, limit, &due, tally->owned.files, &text);
    if (touched == 0 || cli_has(p->cli, OPT_YES))
        p->answers[rule] = ANSWER_YES;
    else if (cli_has(p->cli, OPT_UNATTENDED) && limit == OLV_LIMIT_NONE)
        p->answers[rule] = ANSWER_YES; /* the plan has only what may run unattended */
    else if (cli_has(p->cli, OPT_UNATTENDED))
        refuse_rule(p, rule, touched, olv_text_string(&text));
    else if (can_ask(p))
        ask_rule(p, rule, olv_text_string(&text));
    else
        p->not_asked += touched;
    if (touched && p->answers[rule] != ANSWER_NO)
        permit_end(p, rule);
    if (p->answers[rule] != ANSWER_NO) {
        spent->files += due.files;
        spent->bytes += due.bytes;
    }
    olv_text_free(&text);
}

/* What lets items of the trash go cannot be taken back: from ten on, or with a directory, the count is typed.
 */
static void permit_trash(struct permit *p)
{
    static const char *const answers[] = {"no", "yes", NULL};
    const struct olv_tally *due = &p->plan->trash;
    bool needs_count = due->files >= TYPED_FROM || p->plan->trash_directories > 0, is_allowed = false;
    struct olv_text question = {0};
    char size[OLV_SIZE_TEXT];
    if (due->files == 0 || p->plan->trash_reason != OLV_DUE)
        return;
    olv_text_puts(&question, "trash: remove ");
    term_count(&question, due->files, "item", "items");
    olv_text_printf(&question, " (%s), discarded more than %s ago, for good? Nothing brings them back.",
                    olv_size_format(due->bytes, size), p->policy->trash_keep_text);
    if (cli_has(p->cli, OPT_UNATTENDED))
        is_allowed = true;
    else if (count_was_typed(p, &is_allowed))
        ;
    else if (cli_has(p->cli, OPT_YES) && !needs_count)
        is_allowed = true;
    else if (can_ask(p) && needs_count)
        is_allowed = ask_count(p->cli, olv_text_string(&question), due->files);
    else if (can_ask(p))
        is_allowed = ask(p->cli, olv_text_string(&question), answers) == 1;
    else
        term_message(
            p->cli, STYLE_WARN,
            "nothing was removed from the trash: that cannot be taken back, so it needs --count %llu",
            (unsigned long long)final_files(p));
    p->answers[p->policy->rule_count] = is_allowed ? ANSWER_YES : ANSWER_NO;
    olv_text_free(&question);
}

void permit_ask(struct permit *p)
{
    struct olv_spent spent = {0};
    if (can_ask(p) && !cli_has(p->cli, OPT_YES))
        putchar('\n');
    for (size_t i = 0; i < p->policy->rule_count && !p->is_stopped; i++)
        permit_rule(p, i, &spent);
    if (!p->is_stopped)
        permit_trash(p);
}

static bool ask_file(struct permit *p, const struct olv_docket_entry *entry)
{
    static const char *const answers[] = {"no", "yes", "rest", "stop", NULL};
    struct olv_text question = {0}, path = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    int answer;
    watch_clear(p->cli);
    olv_text_printf(&question, "%s ", entry->act->word);
    olv_docket_entry_shown(entry, &path);
    term_name(&question, olv_text_string(&path));
    olv_text_printf(&question, " (%s, %s)?", olv_size_format(olv_docket_entry_size(entry), size),
                    term_date(olv_docket_entry_modified(entry), date));
    answer = ask(p->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    olv_text_free(&path);
    if (answer == 2)
        p->answers[entry->rule] = ANSWER_YES;
    if (answer == 3 || answer < 0)
        p->is_stopped = true;
    return answer == 1 || answer == 2;
}

bool permit_entry(struct permit *p, const struct olv_docket_entry *entry)
{
    size_t rule = entry->rule == OLV_OF_TRASH ? p->policy->rule_count : entry->rule;
    if (!(entry->act->traits & OLV_TOUCHES))
        return true;
    if (entry->rule != OLV_OF_TRASH && entry->act->traits & OLV_FINAL && !p->may_end[rule])
        return false;
    if (p->is_stopped || p->answers[rule] == ANSWER_NO)
        return false;
    return p->answers[rule] == ANSWER_YES || ask_file(p, entry);
}

void permit_explain(const struct permit *p)
{
    if (p->not_asked)
        term_message(p->cli, STYLE_WARN,
                     "nothing was done without being asked: there is no terminal, and no --yes");
    if (p->not_counted)
        term_message(p->cli, STYLE_WARN,
                     "what cannot be taken back was left undone: it needs its count, --count %llu",
                     (unsigned long long)final_files(p));
    if (p->over_limit)
        term_message(
            p->cli, STYLE_WARN,
            "look at what the rule catches (olvido preview --list), then raise the limit, or run `olvido "
            "enforce` where it can ask");
}
