/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

#include <errno.h>
#include <string.h>

/* ---- lines ---- */

static void ledger_view_describe(const struct olv_ledger_record *r, struct olv_text *what,
                                 struct olv_text *detail)
{
    if (strcmp(r->kind, "outcome") == 0) {
        olv_text_printf(what, "%s: %s", r->act, r->result);
        if (*r->path)
            term_name(detail, r->path);
        else
            olv_text_puts(detail, "(name removed from the ledger)");
        olv_text_printf(detail, " (%s)", SIZE(r->size_bytes));
        if (*r->reason) {
            olv_text_puts(detail, ": ");
            term_name(detail, r->reason);
        }
    } else if (strcmp(r->kind, "archive") == 0) {
        olv_text_puts(what, "archive made");
        term_name(detail, r->path);
        olv_text_printf(detail, " (%s, %s)", SIZE(r->length), COUNT(r->members, "member", "members"));
    } else if (strcmp(r->kind, "removal") == 0) {
        olv_text_printf(what, "archive removed: %s", r->result);
        term_name(detail, r->path);
    } else if (strcmp(r->kind, "end") == 0) {
        olv_text_puts(what, "run ends");
        olv_text_printf(detail, "%s done, %s left, %s failed", NUMBER(r->done), NUMBER(r->left),
                        NUMBER(r->failed));
        if (r->unknown)
            olv_text_printf(detail, ", %s unknown", NUMBER(r->unknown));
        olv_text_printf(detail, "; %s", r->result);
    } else {
        olv_text_printf(what, "%s", strcmp(r->kind, "begin") == 0 ? "run begins" : r->kind);
        olv_text_puts(detail, r->command);
    }
}

/* RFC 3339 in UTC, as in the ledger. */
static struct olv_instant time_of(const char *text)
{
    struct olv_instant t;
    size_t at;
    return olv_instant_parse(text, strlen(text), &t, &at) ? t : (struct olv_instant){0};
}

bool ledger_view_record(void *self, const struct olv_ledger_record *r)
{
    struct ledger_view *s = self;
    struct olv_text what = {0}, detail = {0};
    if (s->limit && s->shown == s->limit)
        return false;
    if (cli_has(s->cli, OPT_JSON)) {
        s->shown++;
        return printf("%.*s\n", (int)r->json_len, r->json) > 0;
    }
    if (strcmp(r->kind, "intent") == 0 && !cli_has(s->cli, OPT_VERBOSE))
        return true;
    s->shown++;
    ledger_view_describe(r, &what, &detail);
    table_date(s->table, STYLE_PLAIN, time_of(r->time));
    table_name(s->table, STYLE_FAINT, r->run);
    table_text(s->table, strcmp(r->result, "failed") == 0 ? STYLE_ERROR : STYLE_PLAIN, &what);
    table_text(s->table, STYLE_PLAIN, &detail);
    return true;
}

void ledger_view_begin(struct ledger_view *s)
{
    static const struct table_column columns[] = {{.heading = "Time", .width = 16},
                                                  {.heading = "Run", .width = 18},
                                                  {.heading = "What", .width = 14},
                                                  {.heading = "Which", .is_elastic = true}};
    s->table = table_begin(s->cli, columns, 4);
}

void ledger_view_end(struct ledger_view *s, const char *run, const struct olv_error *err)
{
    table_end(s->table);
    if (err->sys == ENOENT && err->code != OLV_BROKEN)
        term_message(s->cli, STYLE_PLAIN, "there is no ledger yet: nothing has been done");
    else if (err->code != OLV_OK)
        cli_report(s->cli, err);
    else if (s->shown == 0 && run)
        cli_usage(s->cli, "the ledger has no run `%s`, or nothing of it matches", run);
    else if (s->shown == 0 && !cli_has(s->cli, OPT_JSON))
        term_message(s->cli, STYLE_PLAIN, "nothing in the ledger matches");
}

/* ---- what verifying found ---- */

static const char *fault_word(enum olv_ledger_fault fault)
{
    static const char *const words[] = {"sound",      "altered", "removed", "added", "reordered",
                                        "checkpoint", "hashes",  "docket",  "index", "against"};
    return words[fault];
}

static void ledger_view_print_json(const struct cli *cli, const struct olv_ledger_report *r)
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
    json_object_set_new(json, "run_at_work", json_boolean(r->is_at_work));
    olv_json_number(json, "torn_bytes", r->torn_bytes);
    olv_json_string(json, "origin", r->origin);
    olv_json_string(json, "root", r->root);
    cli_print_json(json);
}

static void print_sound(const struct cli *cli, const struct olv_ledger_report *r)
{
    printf("%sSound:%s %s, %s of them under the signed checkpoint; %s compared", term_begin(cli, STYLE_GOOD),
           term_end(cli), COUNT(r->lines, "line", "lines"), NUMBER(r->covered),
           COUNT(r->segments, "docket segment", "docket segments"));
    if (r->removed_names)
        printf("; names taken out of %s", COUNT(r->removed_names, "line", "lines"));
    printf(".\nOrigin %s, root %s\n", r->origin, r->root);
    if (cli_has(cli, OPT_AGAINST))
        printf("The first %s those that the checkpoint kept elsewhere signs.\n",
               COUNT(r->against, "line is", "lines are"));
    if (r->torn_bytes)
        printf("Its last line is not finished after %s: %s.\n", COUNT(r->torn_bytes, "byte", "bytes"),
               r->is_at_work ? "a run is writing it" : "the next run cuts it off, and records that");
    if (r->is_open)
        printf(r->is_at_work ? "A run is at work.\n" : "A run was cut short; the next one will settle it.\n");
}

static void print_fault(const struct cli *cli, const struct olv_ledger_report *r)
{
    struct olv_text detail = {0};
    term_name(&detail, r->detail);
    printf("%sNot sound:%s ", term_begin(cli, STYLE_ERROR), term_end(cli));
    if (r->fault_at)
        printf("%s, line %llu (number %llu of the ledger) was %s: %s.\n", r->fault_file,
               (unsigned long long)r->fault_at, (unsigned long long)r->fault_line,
               r->fault == OLV_LEDGER_DOCKET ? "broken" : fault_word(r->fault), olv_text_string(&detail));
    else
        printf("%s: %s.\n", r->fault_file, olv_text_string(&detail));
    if (r->lines)
        printf("The %s before it %s sound.\n", COUNT(r->lines, "line", "lines"),
               r->lines == 1 ? "is" : "are");
    olv_text_free(&detail);
}

void ledger_view_report(const struct cli *cli, const struct olv_ledger_report *r)
{
    if (cli_has(cli, OPT_JSON))
        ledger_view_print_json(cli, r);
    else if (r->fault == OLV_LEDGER_SOUND)
        print_sound(cli, r);
    else
        print_fault(cli, r);
}
