/* SPDX-License-Identifier: Apache-2.0 */
#include "cli/views.h"

#include <stdlib.h>
#include <string.h>

static void mark(struct cli *cli, const struct olv_run_result *r)
{
    if (r->declined || r->refused || watch_is_stopped(cli))
        cli_mark(cli, STATUS_REFUSED);
    if (r->failed)
        cli_mark(cli, STATUS_SOME_FAILED);
    if (r->is_interrupted && !watch_is_stopped(cli))
        cli_mark(cli, STATUS_INTERRUPTED);
}

static void run_view_add_part(struct olv_text *line, uint64_t count, const char *words)
{
    if (count)
        olv_text_printf(line, "%s%s", line->len ? ", " : "", COUNT(count, words, words));
}

static void add_done(struct olv_text *line, const struct olv_act *act, const struct olv_done *done)
{
    if (done->files + done->directories == 0)
        return;
    olv_text_printf(line, "%s%s %s (%s%s%s)", line->len ? ", " : "",
                    done->directories ? FILES(done->files, done->directories) : NUMBER(done->files),
                    act->past, SIZE(done->bytes), done->packed_bytes ? " to " : "",
                    done->packed_bytes ? SIZE(done->packed_bytes) : "");
}

static int by_frequency(const void *a, const void *b)
{
    const struct olv_left_reason *x = a, *y = b;
    return x->files < y->files ? 1 : x->files > y->files ? -1 : strcmp(x->what, y->what);
}

/* "3 left alone (2: it is open for writing; 1: it is held)". */
static void add_left(struct olv_text *line, const struct olv_run_result *r)
{
    enum { SHOWN = 4 };
    struct olv_left_reason reasons[OLV_REASONS_KEPT];
    uint64_t rest = 0;
    run_view_add_part(line, r->left + r->left_before, "left alone");
    if (r->left == 0)
        return;
    memcpy(reasons, r->reasons, sizeof reasons);
    qsort(reasons, r->reason_count, sizeof *reasons, by_frequency);
    olv_text_puts(line, " (");
    for (size_t i = 0; i < r->reason_count; i++) {
        if (i >= SHOWN) {
            rest += reasons[i].files;
            continue;
        }
        olv_text_printf(line, "%s%s: ", i ? "; " : "", NUMBER(reasons[i].files));
        term_name(line, reasons[i].what);
    }
    if (rest)
        olv_text_printf(line, "; %s: other reasons", NUMBER(rest));
    if (r->left_before)
        olv_text_printf(line, "; %s: named above", NUMBER(r->left_before));
    olv_text_puts(line, ")");
}

static bool is_final(const struct olv_act *act)
{
    return act->traits & OLV_FINAL;
}

bool run_can_be_taken_back(const struct olv_act *act)
{
    return act->destination == OLV_TO_TRASH || act->destination == OLV_TO_DEPOT || act->inverse;
}

/* Files that such acts were done to. */
static uint64_t done_by(const struct olv_run_result *r, bool (*is_such)(const struct olv_act *act))
{
    uint64_t files = 0;
    for (size_t i = 0; olv_acts[i]; i++)
        if (is_such(olv_acts[i]))
            files += r->by_act[olv_acts[i]->wire].files + r->by_act[olv_acts[i]->wire].directories;
    return files;
}

/* What commands about this run need to be pasted: "--state DIR ". */
static void put_state(const struct cli *cli, struct olv_text *out)
{
    if (!cli_has(cli, OPT_STATE))
        return;
    olv_text_puts(out, "--state ");
    term_word(out, cli_value(cli, OPT_STATE));
    olv_text_puts(out, " ");
}

/* A trash is on the same file system as what was discarded into it. */
static void print_freeing(const struct olv_run_result *r, const char *state, const char *run)
{
    uint64_t bytes = 0;
    for (size_t i = 0; olv_acts[i]; i++)
        if (olv_acts[i]->destination == OLV_TO_TRASH)
            bytes += r->by_act[olv_acts[i]->wire].bytes;
    if (bytes)
        printf("It frees nothing yet; this frees %s, for good: olvido %strash clear --run %s\n", SIZE(bytes),
               state, run);
}

static void run_view_print_people(struct cli *cli, const struct olv_run *run, const struct olv_run_result *r,
                                  bool can_recover)
{
    bool is_all = r->failed + r->refused + r->declined == 0 && r->is_complete;
    bool is_nothing_done = r->done + r->done_directories + r->told == 0;
    struct olv_text line = {0}, state = {0};
    put_state(cli, &state);
    for (size_t i = 0; olv_acts[i]; i++)
        add_done(&line, olv_acts[i], &r->by_act[olv_acts[i]->wire]);
    run_view_add_part(&line, r->told, "told");
    add_left(&line, r);
    run_view_add_part(&line, r->declined, "not allowed, so left undone");
    run_view_add_part(&line, r->refused, "refused");
    run_view_add_part(&line, r->failed, "failed");
    if (line.len == 0)
        olv_text_puts(&line, r->is_interrupted ? "nothing was done" : "nothing was due");
    printf("%s%s%s%s. Run %s%s%s.\n", term_begin(cli, is_all ? STYLE_GOOD : STYLE_WARN),
           r->is_interrupted && !watch_is_stopped(cli) ? "Interrupted: "
           : !r->is_complete                           ? "Stopped: "
           : is_nothing_done && r->left                ? "Nothing done: "
           : is_nothing_done && !is_all                ? "Not done: "
                                                       : "Done: ",
           olv_text_string(&line), term_end(cli), term_begin(cli, STYLE_HEADING), olv_run_id(run),
           term_end(cli));
    if (can_recover && done_by(r, run_can_be_taken_back) && !cli_has(cli, OPT_KEEP)) {
        printf("%s: olvido %srecover --run %s\n",
               done_by(r, is_final) ? "What was deleted is gone; take the rest back" : "Take it back",
               olv_text_string(&state), olv_run_id(run));
        print_freeing(r, olv_text_string(&state), olv_run_id(run));
    }
    if (r->left)
        printf("What was left: olvido %saudit show --run %s --result left\n", olv_text_string(&state),
               olv_run_id(run));
    for (size_t i = 0; olv_acts[i] && !cli_has(cli, OPT_KEEP); i++)
        if (olv_acts[i]->back && r->by_act[olv_acts[i]->wire].files)
            printf("%s\n", olv_acts[i]->back);
    olv_text_free(&line);
    olv_text_free(&state);
}

static void run_view_print_json(const struct olv_run *run, const struct olv_run_result *r)
{
    json_t *json = json_object();
    uint64_t stored = 0;
    for (int act = 0; act < OLV_ACTS_MOST; act++)
        stored += r->by_act[act].packed_bytes;
    olv_json_string(json, "run", olv_run_id(run));
    olv_json_number(json, "done", r->done);
    olv_json_number(json, "done_size", r->done_bytes);
    if (stored)
        olv_json_number(json, "stored_size", stored);
    olv_json_number(json, "told", r->told);
    olv_json_number(json, "left", r->left);
    olv_json_number(json, "declined", r->declined);
    olv_json_number(json, "refused", r->refused);
    olv_json_number(json, "failed", r->failed);
    olv_json_number(json, "directories", r->done_directories);
    json_object_set_new(json, "interrupted", json_boolean(r->is_interrupted));
    cli_print_json(json);
}

void run_print_result(struct cli *cli, const struct olv_run *run, const struct olv_run_result *result,
                      bool can_recover)
{
    watch_clear(cli);
    if (result->has_begun && cli_has(cli, OPT_JSON)) {
        run_view_print_json(run, result);
    } else if (result->has_begun) {
        putchar('\n');
        run_view_print_people(cli, run, result, can_recover);
    }
    watch_print_troubles(cli);
    mark(cli, result);
}

void run_print_settled(struct cli *cli, const struct olv_run *run)
{
    uint64_t settled = olv_run_settled(run), unknown = olv_run_settled_unknown(run);
    if (settled)
        term_message(cli, STYLE_WARN,
                     "an earlier run was cut short; the outcome of its last %s is now in the ledger",
                     COUNT(settled, "file", "files"));
    if (unknown == 0)
        return;
    cli_mark(cli, STATUS_SOME_FAILED);
    term_message(cli, STYLE_WARN,
                 "for %s of them nothing tells whether they were done: `olvido audit show --result unknown`",
                 NUMBER(unknown));
}
