/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/ask.h"
#include "cli/commands.h"
#include "cli/plan_view.h"
#include "cli/run_view.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/quantity.h"
#include "olvido/run.h"
#include "olvido/trash.h"

#include <limits.h>
#include <stdlib.h>
#include <string.h>

enum answer { ANSWER_NO, ANSWER_YES, ANSWER_EACH };

struct enforcing {
    struct cli *cli;
    struct olv_policy *policy;
    struct olv_plan plan;
    bool *selected;
    enum answer *answers; /* one for each rule */
    bool is_stopped;      /* answered `stop`: nothing more */
    uint64_t not_asked;   /* files left undone because nobody could be asked */
};

/* What of a rule is due and touches files. */
static struct olv_tally touching(const struct enforcing *e, size_t rule)
{
    const struct olv_rule *r = &e->policy->rules[rule];
    struct olv_tally sum = {0};
    for (size_t i = 0; e->selected[rule] && i < r->step_count; i++) {
        const struct olv_tally *due = &e->plan.rules[rule].steps[i];
        if (r->steps[i].act == OLV_ACT_KEEP || r->steps[i].act == OLV_ACT_TELL || due->files == 0)
            continue;
        if (sum.files == 0 || olv_instant_compare(due->oldest, sum.oldest) < 0)
            sum.oldest = due->oldest;
        sum.files += due->files;
        sum.bytes += due->bytes;
    }
    return sum;
}

/* ---- questions ---- */

static void list_rule(struct enforcing *e, size_t rule)
{
    struct olv_error err = {0};
    struct docket_filter filter = {
        .by_rule = true, .rule = (uint32_t)rule, .by_act = true, .act = OLV_ACT_DISCARD};
    if (!docket_print(e->cli, e->plan.docket, filter, false, &err))
        cli_report(e->cli, &err);
}

static void ask_rule(struct enforcing *e, size_t rule, const struct olv_tally *due)
{
    static const char *const answers[] = {"no", "yes", "each", "list", "stop", NULL};
    struct olv_text question = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    int answer;
    term_name(&question, e->policy->rules[rule].name);
    olv_text_puts(&question, ": discard ");
    term_count(&question, due->files, "file", "files");
    olv_text_printf(&question, " (%s, oldest %s) to the trash?", olv_size_format(due->bytes, size),
                    term_date(due->oldest, date));
    while ((answer = ask(e->cli, olv_text_string(&question), answers)) == 3)
        list_rule(e, rule);
    if (answer == 1)
        e->answers[rule] = ANSWER_YES;
    else if (answer == 2)
        e->answers[rule] = ANSWER_EACH;
    else if (answer != 0)
        e->is_stopped = true;
    olv_text_free(&question);
}

static void ask_all(struct enforcing *e)
{
    bool can_ask = ask_is_possible() && !cli_has(e->cli, OPT_JSON);
    if (can_ask && !cli_has(e->cli, OPT_YES))
        putchar('\n');
    for (size_t i = 0; i < e->policy->rule_count && !e->is_stopped; i++) {
        struct olv_tally due = touching(e, i);
        if (cli_has(e->cli, OPT_YES) || due.files == 0)
            e->answers[i] = ANSWER_YES;
        else if (can_ask)
            ask_rule(e, i, &due);
        else
            e->not_asked += due.files;
    }
}

static bool ask_file(struct enforcing *e, const struct olv_docket_entry *entry)
{
    static const char *const answers[] = {"no", "yes", "rest", "stop", NULL};
    struct olv_text question = {0}, path = {0};
    char size[OLV_SIZE_TEXT], date[TERM_DATE];
    int answer;
    watch_clear(e->cli);
    olv_text_puts(&question, "discard ");
    olv_docket_entry_path(entry, &path);
    term_name(&question, olv_text_string(&path));
    olv_text_printf(&question, " (%s, %s)?", olv_size_format(entry->identity.size_bytes, size),
                    term_date(entry->identity.modified, date));
    answer = ask(e->cli, olv_text_string(&question), answers);
    olv_text_free(&question);
    olv_text_free(&path);
    if (answer == 2)
        e->answers[entry->rule] = ANSWER_YES;
    if (answer == 3 || answer < 0)
        e->is_stopped = true;
    return answer == 1 || answer == 2;
}

static bool approve(void *self, struct olv_docket_entry *entry)
{
    struct enforcing *e = self;
    if (entry->act == OLV_ACT_TELL)
        return true;
    if (e->is_stopped || e->answers[entry->rule] == ANSWER_NO)
        return false;
    return e->answers[entry->rule] == ANSWER_YES || ask_file(e, entry);
}

/* ---- carrying out ---- */

static bool any_act(const struct enforcing *e, enum olv_act_id act)
{
    for (size_t i = 0; i < e->policy->rule_count; i++)
        for (size_t k = 0; e->selected[i] && k < e->policy->rules[i].step_count; k++)
            if (e->policy->rules[i].steps[k].act == act && e->plan.rules[i].steps[k].files)
                return true;
    return false;
}

static enum cli_status print_told(struct enforcing *e)
{
    struct docket_filter filter = {
        .by_act = true, .act = OLV_ACT_TELL, .most = cli_has(e->cli, OPT_VERBOSE) ? 0 : 20};
    struct olv_error err = {0};
    if (!any_act(e, OLV_ACT_TELL) || cli_has(e->cli, OPT_JSON) || cli_has(e->cli, OPT_QUIET))
        return STATUS_DONE;
    printf("\nTold of:\n");
    return docket_print(e->cli, e->plan.docket, filter, false, &err) ? STATUS_DONE : cli_report(e->cli, &err);
}

static enum cli_status carry_out(struct enforcing *e, struct olv_run *run)
{
    struct olv_run_result result = {0};
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    watch_expect(e->cli, e->plan.due_files);
    if (!olv_run_carry_out(run, e->plan.docket, &result, &err))
        status = cli_report(e->cli, &err);
    if (e->not_asked)
        term_message(e->cli, STYLE_WARN,
                     "nothing was discarded without being asked: there is no terminal, and no --yes");
    return cli_worse(status, run_print_result(e->cli, run, &result, "discarded", true));
}

static enum cli_status decide_and_do(struct enforcing *e, struct olv_run *run)
{
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    if (!plan_for(e->cli, e->policy, true, &e->plan, e->selected, &status))
        return status;
    watch_clear(e->cli);
    if (!cli_has(e->cli, OPT_JSON) && !cli_has(e->cli, OPT_QUIET))
        plan_print(e->cli, e->policy, &e->plan, e->selected);
    status = plan_print_gaps(e->cli, e->policy, &e->plan);
    if (any_act(e, OLV_ACT_DISCARD) && !olv_run_prepare(run, e->plan.mounts, e->plan.mount_count, &err))
        return cli_report(e->cli, &err);
    status = cli_worse(status, print_told(e));
    ask_all(e);
    if (watch_is_interrupted(e->cli)) {
        term_message(e->cli, STYLE_WARN, "interrupted; nothing was done");
        return STATUS_INTERRUPTED;
    }
    return cli_worse(status, carry_out(e, run));
}

static enum cli_status enforce(struct enforcing *e)
{
    struct olv_guard guard = {0};
    struct olv_run_options options = {.command = "enforce",
                                      .policy = e->policy,
                                      .guard = &guard,
                                      .observer = &e->cli->observer,
                                      .approve = approve,
                                      .self = e};
    char state[PATH_MAX], trash[PATH_MAX];
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    struct olv_run *run;
    if (!cli_state_path(e->cli, state, sizeof state, &status))
        return status;
    if (olv_trash_home(trash, sizeof trash, &err))
        options.trash = trash;
    options.state = state;
    run = olv_run_open(&options, &err);
    if (!run)
        return cli_report(e->cli, &err);
    run_print_settled(e->cli, run);
    plan_guard(e->cli, e->policy->path, &guard);
    status = decide_and_do(e, run);
    olv_run_close(run);
    return status;
}

static enum cli_status run(struct cli *cli)
{
    struct enforcing e = {.cli = cli};
    enum cli_status status = STATUS_DONE;
    char path[PATH_MAX];
    if (!cli_policy_path(cli, path, sizeof path, &status))
        return status;
    e.policy = cli_load_policy(cli, path, &status);
    if (!e.policy)
        return status;
    e.selected = calloc(e.policy->rule_count, sizeof *e.selected);
    e.answers = calloc(e.policy->rule_count, sizeof *e.answers);
    status = e.selected && e.answers ? enforce(&e) : STATUS_SOME_FAILED;
    olv_plan_free(&e.plan);
    free(e.selected);
    free(e.answers);
    olv_policy_free(e.policy);
    return status;
}

static const enum cli_option options[] = {OPT_YES, OPT_RULE, OPT_NONE};

const struct cli_command cmd_enforce = {
    .name = "enforce",
    .stage = "Do",
    .arguments = "",
    .summary = "Carries the policy out, on the record",
    .help = "Shows what is due, then asks once for each rule: no, yes, each (file by file), list, or stop. "
            "The first letter will\n"
            "do. --yes answers beforehand. Without a terminal nothing is asked, and what was not allowed is "
            "left undone.\n"
            "Ctrl-C finishes the file under way, and the ledger says how far it went. What was discarded "
            "lies in the trash:\n"
            "the last line says how to take it back.\n",
    .options = options,
    .run = run,
};
