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
    struct docket_filter filter = {
        .by_rule = true, .rule = (uint32_t)rule, .by_act = true, .act = OLV_ACT_DISCARD};
    if (!docket_print(p->cli, p->plan->docket, filter, false, &err))
        cli_report(p->cli, &err);
}

static void ask_rule(struct permit *p, size_t rule, const struct olv_tally *due, const char *limit)
{
    static const char *const answers[] = {"no", "yes", "each", "list", "stop", NULL};
    struct olv_text question = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    int answer;
    term_name(&question, p->policy->rules[rule].name);
    olv_text_puts(&question, ": discard ");
    term_count(&question, due->files, "file", "files");
    olv_text_printf(&question, " (%s, oldest %s) to the trash?%s%s%s", olv_size_format(due->bytes, size),
                    term_date(due->oldest, date), *limit ? " " : "", limit, *limit ? "." : "");
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

static void refuse_rule(struct permit *p, size_t rule, const struct olv_tally *due, const char *limit)
{
    struct olv_text text = {0};
    term_name(&text, p->policy->rules[rule].name);
    olv_text_puts(&text, ": refused as a whole, ");
    term_count(&text, due->files, "file", "files");
    term_message(p->cli, STYLE_WARN, "rule %s. %s", olv_text_string(&text), limit);
    p->over_limit += due->files;
    olv_text_free(&text);
}

static void permit_rule(struct permit *p, size_t rule, struct olv_spent *spent)
{
    const struct olv_rule_tally *tally = &p->plan->rules[rule];
    struct olv_tally due = {0};
    struct olv_text text = {0};
    enum olv_limit limit;
    if (p->selected[rule])
        due = olv_limited_tally(&p->policy->rules[rule], tally);
    limit = olv_limit_exceeded(&p->policy->limits, *spent, &due, tally->owned.files);
    permit_describe_limit(p->policy, limit, &due, tally->owned.files, &text);
    if (due.files == 0 || cli_has(p->cli, OPT_YES))
        p->answers[rule] = ANSWER_YES;
    else if (cli_has(p->cli, OPT_UNATTENDED) && limit == OLV_LIMIT_NONE)
        p->answers[rule] = ANSWER_YES; /* the plan has only what may run unattended */
    else if (cli_has(p->cli, OPT_UNATTENDED))
        refuse_rule(p, rule, &due, olv_text_string(&text));
    else if (can_ask(p))
        ask_rule(p, rule, &due, olv_text_string(&text));
    else
        p->not_asked += due.files;
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
    uint64_t given;
    enum cli_status ignored;
    if (due->files == 0 || p->plan->trash_reason != OLV_DUE)
        return;
    olv_text_puts(&question, "trash: remove ");
    term_count(&question, due->files, "item", "items");
    olv_text_printf(&question, " (%s), discarded more than %s ago, for good? Nothing brings them back.",
                    olv_size_format(due->bytes, size), p->policy->trash_keep_text);
    if (cli_has(p->cli, OPT_UNATTENDED))
        is_allowed = true;
    else if (cli_has(p->cli, OPT_COUNT_TYPED))
        is_allowed = cli_number(p->cli, OPT_COUNT_TYPED, &given, &ignored) && given == due->files;
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
            (unsigned long long)due->files);
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
    olv_text_puts(&question, "discard ");
    olv_docket_entry_path(entry, &path);
    term_name(&question, olv_text_string(&path));
    olv_text_printf(&question, " (%s, %s)?", olv_size_format(entry->identity.size_bytes, size),
                    term_date(entry->identity.modified, date));
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
    if (entry->act == OLV_ACT_TELL)
        return true;
    if (p->is_stopped || p->answers[rule] == ANSWER_NO)
        return false;
    return p->answers[rule] == ANSWER_YES || ask_file(p, entry);
}

bool permit_asks_each(const struct permit *p)
{
    bool asks = false;
    for (size_t i = 0; i <= p->policy->rule_count; i++)
        asks |= p->answers[i] == ANSWER_EACH;
    return asks;
}

void permit_explain(const struct permit *p)
{
    if (p->not_asked)
        term_message(p->cli, STYLE_WARN,
                     "nothing was discarded without being asked: there is no terminal, and no --yes");
    if (p->over_limit)
        term_message(
            p->cli, STYLE_WARN,
            "look at what the rule catches (olvido preview --list), then raise the limit, or run `olvido "
            "enforce` where it can ask");
}
