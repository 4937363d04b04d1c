/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/commands.h"
#include "cli/items_view.h"
#include "cli/table.h"
#include "cli/term.h"
#include "cli/watch.h"
#include "olvido/json.h"
#include "olvido/ledger.h"
#include "olvido/nearest.h"
#include "olvido/quantity.h"

#include <errno.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>

/* ---- show ---- */

struct showing {
    struct cli *cli;
    struct table *table;
    uint64_t shown, limit;
};

static void cmd_audit_describe(const struct olv_ledger_record *r, struct olv_text *what,
                               struct olv_text *detail)
{
    char size[OLV_SIZE_TEXT];
    if (strcmp(r->kind, "outcome") == 0) {
        olv_text_printf(what, "%s: %s", r->act, r->result);
        if (*r->path)
            term_name(detail, r->path);
        else
            olv_text_puts(detail, "(name taken out of the ledger)");
        olv_text_printf(detail, " (%s)", olv_size_format(r->size_bytes, size));
        if (*r->reason) {
            olv_text_puts(detail, ": ");
            term_name(detail, r->reason);
        }
    } else if (strcmp(r->kind, "archive") == 0) {
        olv_text_puts(what, "archive made");
        term_name(detail, r->path);
        olv_text_printf(detail, " (%s, %llu members)", olv_size_format(r->length, size),
                        (unsigned long long)r->members);
    } else if (strcmp(r->kind, "removal") == 0) {
        olv_text_printf(what, "archive removed: %s", r->result);
        term_name(detail, r->path);
    } else if (strcmp(r->kind, "end") == 0) {
        olv_text_puts(what, "run ends");
        olv_text_printf(detail, "%llu done, %llu left, %llu failed", (unsigned long long)r->done,
                        (unsigned long long)r->left, (unsigned long long)r->failed);
        if (r->unknown)
            olv_text_printf(detail, ", %llu unknown", (unsigned long long)r->unknown);
        olv_text_printf(detail, "; %s", r->result);
    } else {
        olv_text_printf(what, "%s", strcmp(r->kind, "begin") == 0 ? "run begins" : r->kind);
        olv_text_puts(detail, r->command);
    }
}

/* RFC 3339 in UTC, as the ledger has it, to the local time that people read. */
static const char *local_time(const char *text, char out[TERM_DATE])
{
    struct olv_instant t;
    size_t at;
    return olv_instant_parse(text, strlen(text), &t, &at) ? term_date(t, out) : "?";
}

static bool show_record(void *self, const struct olv_ledger_record *r)
{
    struct showing *s = self;
    struct olv_text what = {0}, detail = {0}, id = {0};
    char date[TERM_DATE];
    if (s->limit && s->shown == s->limit)
        return false;
    if (cli_has(s->cli, OPT_JSON)) {
        s->shown++;
        return printf("%.*s\n", (int)r->json_len, r->json) > 0;
    }
    if (strcmp(r->kind, "intent") == 0 && !cli_has(s->cli, OPT_VERBOSE))
        return true;
    s->shown++;
    cmd_audit_describe(r, &what, &detail);
    term_name(&id, r->run);
    table_cell(s->table, STYLE_PLAIN, local_time(r->time, date));
    table_cell(s->table, STYLE_FAINT, olv_text_string(&id));
    table_cell(s->table, strcmp(r->result, "failed") == 0 ? STYLE_ERROR : STYLE_PLAIN,
               olv_text_string(&what));
    table_cell(s->table, STYLE_PLAIN, olv_text_string(&detail));
    olv_text_free(&what);
    olv_text_free(&detail);
    olv_text_free(&id);
    return true;
}

/* Each word must be one that the ledger knows: a misspelt one would find nothing, and say so as if that were
 * an answer. */
static bool check_words(struct cli *cli, enum cli_option option, const char *const *known, size_t count,
                        enum cli_status *status)
{
    for (size_t i = 0; i < cli->options[option].count; i++) {
        const char *word = cli->options[option].values[i],
                   *near = olv_nearest(word, strlen(word), known, count);
        size_t k = 0;
        while (k < count && strcmp(known[k], word) != 0)
            k++;
        if (k < count)
            continue;
        *status = cli_usage(cli, "the ledger has no `%s` there%s%s%s", word, near ? "; did you mean `" : "",
                            near ? near : "", near ? "`?" : "");
        return false;
    }
    return true;
}

static bool read_query(struct cli *cli, struct olv_ledger_query *q, char **path, enum cli_status *status)
{
    static const char *const results[] = {"done",    "told",     "left",        "refused", "failed",
                                          "unknown", "finished", "interrupted", "settled"};
    const char *acts[OLV_ACTS_MOST];
    size_t act_count = 0;
    for (; olv_acts[act_count]; act_count++)
        acts[act_count] = olv_acts[act_count]->word;
    if (!check_words(cli, OPT_ACT, acts, act_count, status) ||
        !check_words(cli, OPT_RESULT, results, 8, status))
        return false;
    *q = (struct olv_ledger_query){.run = cli_value(cli, OPT_RUN),
                                   .rule = cli_value(cli, OPT_RULE),
                                   .acts = cli->options[OPT_ACT].values,
                                   .act_count = cli->options[OPT_ACT].count,
                                   .results = cli->options[OPT_RESULT].values,
                                   .result_count = cli->options[OPT_RESULT].count,
                                   .has_since = cli_has(cli, OPT_SINCE),
                                   .has_until = cli_has(cli, OPT_UNTIL)};
    if (cli_has(cli, OPT_PATH))
        q->path = *path = items_absolute(cli_value(cli, OPT_PATH));
    return (!q->has_since || cli_instant(cli, OPT_SINCE, &q->since, status)) &&
           (!q->has_until || cli_instant(cli, OPT_UNTIL, &q->until, status));
}

static enum cli_status cmd_audit_show(struct cli *cli, const char *state)
{
    static const struct table_column columns[] = {{.heading = "Time", .width = 16},
                                                  {.heading = "Run", .width = 18},
                                                  {.heading = "What", .width = 14},
                                                  {.heading = "Which", .is_elastic = true}};
    struct showing s = {.cli = cli};
    struct olv_ledger_query query;
    struct olv_error err = {0};
    enum cli_status status = STATUS_DONE;
    char *path = NULL;
    bool ok = read_query(cli, &query, &path, &status) &&
              (!cli_has(cli, OPT_LIMIT) || cli_number(cli, OPT_LIMIT, &s.limit, &status));
    if (ok) {
        s.table = cli_has(cli, OPT_JSON) ? NULL : table_begin(cli, columns, 4);
        ok = olv_ledger_search(state, &query, show_record, &s, &err);
        table_end(s.table);
        if (!ok && err.sys == ENOENT)
            term_message(cli, STYLE_PLAIN, "there is no ledger yet: nothing was ever done");
        else if (!ok)
            status = cli_report(cli, &err);
        else if (s.shown == 0 && query.run)
            status = cli_usage(cli, "the ledger knows no run `%s`, or nothing of it fits", query.run);
        else if (s.shown == 0 && !cli_has(cli, OPT_JSON))
            term_message(cli, STYLE_PLAIN, "the ledger has nothing that fits");
    }
    free(path);
    return status;
}

/* ---- verify ---- */

static const char *fault_word(enum olv_ledger_fault fault)
{
    static const char *const words[] = {"sound",      "altered", "removed", "added", "reordered",
                                        "checkpoint", "hashes",  "docket",  "index", "against"};
    return words[fault];
}

static void cmd_audit_print_json(const struct cli *cli, const struct olv_ledger_report *r)
{
    json_t *json = json_object();
    olv_json_string(json, "finding", fault_word(r->fault));
    if (r->fault != OLV_LEDGER_SOUND) {
        olv_json_number(json, "line", r->fault_line);
        olv_json_string(json, "file", r->fault_file);
        olv_json_number(json, "file_line", r->fault_at);
        olv_json_string(json, "detail", r->detail);
    }
    olv_json_number(json, "lines", r->lines);
    olv_json_number(json, "covered", r->covered);
    if (cli_has(cli, OPT_AGAINST))
        olv_json_number(json, "against", r->against);
    olv_json_number(json, "names_taken_out", r->removed_names);
    olv_json_number(json, "docket_segments", r->segments);
    json_object_set_new(json, "run_open", json_boolean(r->is_open));
    olv_json_string(json, "origin", r->origin);
    olv_json_string(json, "root", r->root);
    cli_print_json(json);
}

static void print_sound(const struct cli *cli, const struct olv_ledger_report *r)
{
    struct olv_text line = {0};
    term_count(&line, r->lines, "line", "lines");
    olv_text_puts(&line, ", ");
    term_number(&line, r->covered);
    olv_text_puts(&line, " of them under the signed checkpoint; ");
    term_count(&line, r->segments, "docket segment", "docket segments");
    olv_text_puts(&line, " compared");
    if (r->removed_names) {
        olv_text_puts(&line, "; names taken out of ");
        term_count(&line, r->removed_names, "line", "lines");
    }
    printf("%sSound:%s %s.\n", term_begin(cli, STYLE_GOOD), term_end(cli), olv_text_string(&line));
    printf("Origin %s, root %s\n", r->origin, r->root);
    if (cli_has(cli, OPT_AGAINST))
        printf("The first %llu %s those that the checkpoint kept elsewhere signs.\n",
               (unsigned long long)r->against, r->against == 1 ? "line is" : "lines are");
    if (r->is_open)
        printf("A run was cut short; the next one will settle it.\n");
    olv_text_free(&line);
}

static void print_fault(const struct cli *cli, const struct olv_ledger_report *r)
{
    struct olv_text detail = {0};
    term_name(&detail, r->detail);
    printf("%sNot sound:%s ", term_begin(cli, STYLE_ERROR), term_end(cli));
    if (r->fault_at)
        printf("%s, line %llu (number %llu of the ledger) was %s: %s.\n", r->fault_file,
               (unsigned long long)r->fault_at, (unsigned long long)r->fault_line,
               r->fault == OLV_LEDGER_SEGMENT ? "broken" : fault_word(r->fault), olv_text_string(&detail));
    else
        printf("%s: %s.\n", r->fault_file, olv_text_string(&detail));
    if (r->lines)
        printf("The %llu %s before it %s sound.\n", (unsigned long long)r->lines,
               r->lines == 1 ? "line" : "lines", r->lines == 1 ? "is" : "are");
    olv_text_free(&detail);
}

static enum cli_status cmd_audit_verify(struct cli *cli, const char *state)
{
    struct olv_ledger_report report;
    struct olv_error err = {0};
    if (!olv_ledger_verify(state, cli_value(cli, OPT_AGAINST), &cli->observer, &report, &err)) {
        if (err.sys == ENOENT && !*err.hint)
            olv_error_hint(&err, "there is no ledger there; --state DIR names another place");
        return cli_report(cli, &err);
    }
    watch_clear(cli);
    if (cli_has(cli, OPT_JSON))
        cmd_audit_print_json(cli, &report);
    else if (report.fault == OLV_LEDGER_SOUND)
        print_sound(cli, &report);
    else
        print_fault(cli, &report);
    return report.fault == OLV_LEDGER_SOUND ? STATUS_DONE : STATUS_BROKEN;
}

static enum cli_status cmd_audit_run(struct cli *cli)
{
    enum cli_status status = STATUS_DONE;
    char state[PATH_MAX];
    if (!cli_state_path(cli, state, sizeof state, &status))
        return status;
    if (strcmp(cli->arguments[0], "show") == 0)
        return cli_has(cli, OPT_AGAINST) ? cli_usage(cli, "--against goes with `audit verify`")
                                         : cmd_audit_show(cli, state);
    if (strcmp(cli->arguments[0], "verify") == 0)
        return cmd_audit_verify(cli, state);
    return cli_usage(cli, "`audit` can `show` and `verify`, not `%s`", cli->arguments[0]);
}

static const enum cli_option options[] = {OPT_RUN,   OPT_RULE,  OPT_PATH,  OPT_ACT,     OPT_RESULT,
                                          OPT_SINCE, OPT_UNTIL, OPT_LIMIT, OPT_AGAINST, OPT_NONE};

const struct cli_command cmd_audit = {
    .name = "audit",
    .stage = "Prove",
    .arguments = "show|verify",
    .summary = "Shows the ledger of everything that was done, or proves that nobody touched it",
    .options = options,
    .least = 1,
    .most = 1,
    .run = cmd_audit_run,
};
