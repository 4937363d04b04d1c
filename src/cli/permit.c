/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/permit.h"

#include "cli/ask.h"
#include "cli/open_session.h"
#include "cli/views.h"

#include <stdlib.h>

static void add_share(struct olv_text *out, double millionths)
{
    olv_text_printf(out, "%.4g %%", millionths / 10000.0);
}

void permit_describe_limit(const struct olv_policy *policy, const struct olv_excess *excess,
                           struct olv_text *out)
{
    switch (excess->limit) {
    case OLV_LIMIT_FILES:
        olv_text_printf(out, "That exceeds the limit of %s",
                        COUNT(policy->limits.files, "file per run", "files per run"));
        break;
    case OLV_LIMIT_BYTES:
        olv_text_printf(out, "That exceeds the limit of %s per run", SIZE(policy->limits.bytes));
        break;
    case OLV_LIMIT_SHARE:
        olv_text_puts(out, "That is ");
        add_share(out, 1e6 * (double)excess->files / (double)excess->owned);
        olv_text_printf(out, " of the %s that the rule owns; the limit is ",
                        COUNT(excess->owned, "file", "files"));
        add_share(out, policy->limits.share_millionths);
        break;
    default:
        break;
    }
}

/* ---- questions ---- */

/* Which steps a question is about. */
static bool is_asked(const struct olv_question *q, const struct olv_act *act)
{
    bool is_final = act->traits & OLV_FINAL;
    return act->traits & OLV_TOUCHES && (q->kind == OLV_ASKS_RULE ? !q->is_apart || !is_final : is_final);
}

static void list_rule(struct permit *p, const struct olv_question *q)
{
    struct olv_error err = {0};
    struct docket_filter filter = {.by_rule = true, .rule = (uint32_t)q->rule};
    filter.which = q->kind != OLV_ASKS_RULE ? DOCKET_ENDED : q->is_apart ? DOCKET_KEPT : DOCKET_TOUCHED;
    if (!docket_print(p->cli, p->plan->docket, filter, &err))
        cli_report(p->cli, &err);
}

/* "archive 12 files (3.1 MiB, oldest 2025-01-02 10:00) in cold-room". */
static void put_step(struct olv_text *out, const struct olv_step *step, const struct olv_tally *due)
{
    olv_text_printf(out, "%s %s (%s, oldest %s)", step->act->word, FILES(due->files, due->directories),
                    SIZE(due->bytes), DATE(due->oldest));
    if (step->act->destination == OLV_TO_TRASH)
        olv_text_puts(out, " to the trash");
    if (step->act->traits & OLV_FINAL)
        olv_text_puts(out, " for good");
    olv_arguments_describe(step->act, step->arguments, out);
}

static void put_steps(const struct permit *p, const struct olv_question *q, struct olv_text *out)
{
    const struct olv_rule *rule = &p->policy->rules[q->rule];
    const char *between = "";
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_tally *due = &p->plan->rules[q->rule].steps[i];
        if (!is_asked(q, rule->steps[i].act) || olv_tally_is_empty(due))
            continue;
        olv_text_puts(out, between);
        put_step(out, &rule->steps[i], due);
        between = ", ";
    }
}

static enum olv_answer ask_rule(struct permit *p, const struct olv_question *q)
{
    static const char *const words[] = {"no", "yes", "each", "list", "stop", NULL};
    static const enum olv_answer answers[] = {OLV_ANSWER_NO, OLV_ANSWER_YES, OLV_ANSWER_EACH, OLV_ANSWER_STOP,
                                              OLV_ANSWER_STOP};
    enum { LIST = 3 };
    struct olv_text question = {0}, limit = {0};
    int answer;
    term_name(&question, p->policy->rules[q->rule].name);
    olv_text_puts(&question, ": ");
    put_steps(p, q, &question);
    permit_describe_limit(p->policy, &q->excess, &limit);
    olv_text_printf(&question, "?%s%s%s%s", q->kind == OLV_ASKS_RULE ? "" : " Nothing brings them back.",
                    limit.len ? " " : "", olv_text_string(&limit), limit.len ? "." : "");
    while ((answer = ask(p->cli, olv_text_string(&question), words)) == LIST)
        list_rule(p, q);
    olv_text_free(&question);
    olv_text_free(&limit);
    return answer < 0 ? OLV_ANSWER_STOP : answers[answer];
}

static enum olv_answer ask_rule_count(struct permit *p, const struct olv_question *q)
{
    struct olv_text question = {0};
    bool is_right;
    term_name(&question, p->policy->rules[q->rule].name);
    olv_text_printf(&question, ": delete %s (%s) for good? Nothing brings them back.",
                    FILES(q->files, q->directories), SIZE(q->bytes));
    is_right = ask_count(p->cli, olv_text_string(&question), q->files);
    olv_text_free(&question);
    return is_right ? OLV_ANSWER_YES : OLV_ANSWER_NO;
}

static enum olv_answer ask_trash(struct permit *p, const struct olv_question *q)
{
    static const char *const words[] = {"no", "yes", NULL};
    struct olv_text question = {0};
    bool is_allowed;
    olv_text_printf(
        &question,
        "trash: remove %s (%s, %s), discarded more than %s ago, for good? Nothing brings them back.",
        COUNT(q->files, "item", "items"), FILES(q->inside, q->directories), SIZE(q->bytes),
        p->policy->trash_keep_text);
    is_allowed = q->kind == OLV_ASKS_TRASH_COUNT ? ask_count(p->cli, olv_text_string(&question), q->files)
                                                 : ask(p->cli, olv_text_string(&question), words) == 1;
    olv_text_free(&question);
    return is_allowed ? OLV_ANSWER_YES : OLV_ANSWER_NO;
}

static void print_refusals(const struct permit *p)
{
    struct olv_excess excess;
    uint64_t files;
    for (size_t i = 0; i < p->policy->rule_count; i++) {
        struct olv_text limit = {0};
        if (!olv_permission_refused(p->permission, i, &excess, &files))
            continue;
        permit_describe_limit(p->policy, &excess, &limit);
        term_message(p->cli, STYLE_WARN, "rule %s: refused as a whole, %s. %s", p->policy->rules[i].name,
                     COUNT(files, "file", "files"), olv_text_string(&limit));
        olv_text_free(&limit);
    }
}

bool permit_read(struct permit *p)
{
    struct cli *cli = p->cli;
    bool is_unattended = cli_has(cli, OPT_UNATTENDED);
    p->over_limit = calloc(p->policy->rule_count, sizeof *p->over_limit);
    p->allowance = (struct olv_allowance){.is_unattended = is_unattended,
                                          .says_yes = cli_has(cli, OPT_YES),
                                          .has_count = cli_has(cli, OPT_COUNT_TYPED),
                                          .over_limit = p->over_limit,
                                          .can_ask = ask_is_possible(p->cli) && !cli_has(cli, OPT_JSON) &&
                                                     !is_unattended};
    if (!p->over_limit)
        return cli_memory(cli);
    return session_rules_of(cli, p->policy, OPT_OVER_LIMIT, p->over_limit) &&
           cli_number(cli, OPT_COUNT_TYPED, &p->allowance.count);
}

static void permit_put(struct permit *p)
{
    static enum olv_answer (*const asks[])(struct permit *, const struct olv_question *) = {
        [OLV_ASKS_RULE] = ask_rule,
        [OLV_ASKS_RULE_ENDING] = ask_rule,
        [OLV_ASKS_RULE_COUNT] = ask_rule_count,
        [OLV_ASKS_TRASH] = ask_trash,
        [OLV_ASKS_TRASH_COUNT] = ask_trash};
    struct olv_question question;
    bool is_first = true;
    while (olv_permission_next(p->permission, &question)) {
        if (is_first)
            putchar('\n');
        is_first = false;
        olv_permission_answer(p->permission, asks[question.kind](p, &question));
    }
    print_refusals(p);
}

bool permit_ask(struct permit *p, const bool *selected)
{
    p->permission = olv_permission_new(p->policy, p->plan, selected, &p->allowance);
    if (!p->permission)
        return cli_memory(p->cli);
    permit_put(p);
    return true;
}

bool permit_entry(void *self, struct olv_docket_entry *entry)
{
    struct permit *p = self;
    static const char *const answers[] = {"no", "yes", "rest", "stop", NULL};
    enum { YES = 1, REST = 2, STOP = 3 };
    struct olv_text question = {0}, path = {0};
    enum olv_answer known = olv_permission_of(p->permission, entry);
    int answer;
    if (known != OLV_ANSWER_EACH)
        return known == OLV_ANSWER_YES;
    watch_clear(p->cli);
    olv_text_printf(&question, "%s ", entry->act->word);
    olv_docket_entry_shown(entry, &path);
    term_name(&question, olv_text_string(&path));
    olv_text_printf(&question, " (%s, %s)?", SIZE(olv_docket_entry_size(entry)),
                    DATE(olv_docket_entry_modified(entry)));
    answer = ask(p->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    olv_text_free(&path);
    if (answer == REST)
        olv_permission_rest(p->permission, entry);
    if (answer == STOP || answer < 0)
        olv_permission_stop(p->permission);
    return answer == YES || answer == REST;
}

void permit_explain(const struct permit *p)
{
    struct olv_unpermitted lacks = olv_permission_lacks(p->permission);
    unsigned long long count = lacks.count;
    if (lacks.trash_items)
        term_message(p->cli, STYLE_WARN,
                     "nothing removed from the trash: this cannot be taken back and needs --count %llu",
                     count);
    if (lacks.not_asked)
        term_message(p->cli, STYLE_WARN, "nothing done: this needs an answer. Use a terminal or --yes");
    if (lacks.not_counted)
        term_message(p->cli, STYLE_WARN,
                     "what cannot be taken back was left undone; allow it with --count %llu", count);
    if (lacks.over_limit)
        term_message(p->cli, STYLE_WARN,
                     "look at what the rule catches (olvido preview --list); then raise the limit, allow it "
                     "with --over-limit RULE, or run `olvido enforce` on a terminal");
}

void permit_end(struct permit *p)
{
    olv_permission_free(p->permission);
    free(p->over_limit);
}
