/* SPDX-License-Identifier: Apache-2.0 */
#include "ledger/tail.h"

#include "base/grow.h"
#include "ledger/reading.h"
#include "ledger/sweep.h"
#include "olvido/json.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_DECISIONS = 1 << 20 };

struct batch {
    uint64_t number, decisions;
    uint8_t *recorded; /* one bit per entry; owned */
};

struct examining {
    int state, dir;
    uint64_t covered, number;  /* of the current line */
    char run[LEDGER_RUN_SIZE]; /* the open run; "": none */
    char needle[80];           /* what each of its lines contains */
    bool has_begun;
    struct batch *batches; /* its intents; owned */
    size_t count, cap;
    struct olv_hasher *hasher;
    struct olv_text scratch;
    struct tail_fault *fault;
};

static const char *word(const json_t *line, const char *key)
{
    const char *text = json_string_value(json_object_get(line, key));
    return text ? text : "";
}

/* ---- what it intends, and what it tells ---- */

static bool add_batch(struct examining *x, const json_t *line, struct olv_error *err)
{
    uint64_t decisions = olv_json_get_number(line, "decisions");
    if (!grow(&x->batches, x->count, &x->cap, sizeof *x->batches))
        return olv_fail_memory(err);
    if (decisions > MOST_DECISIONS)
        decisions = 0;
    x->batches[x->count] =
        (struct batch){olv_json_get_number(line, "batch"), decisions, calloc(1, decisions / 8 + 1)};
    if (!x->batches[x->count].recorded)
        return olv_fail_memory(err);
    x->count++;
    return true;
}

/* What is wrong with an outcome; NULL: nothing. */
static const char *tell(struct examining *x, const json_t *line)
{
    uint64_t number = olv_json_get_number(line, "batch"), entry = olv_json_get_number(line, "entry");
    size_t i = x->count;
    uint8_t bit;
    while (i > 0 && x->batches[i - 1].number != number)
        i--;
    if (i == 0 || entry >= x->batches[i - 1].decisions)
        return "it is about no entry of a docket of its run";
    bit = (uint8_t)(1u << entry % 8);
    if (x->batches[i - 1].recorded[entry / 8] & bit)
        return "its entry has an outcome already";
    x->batches[i - 1].recorded[entry / 8] |= bit;
    return NULL;
}

/* ---- lines ---- */

/* Signed lines: what the run had begun and recorded by then. */
static bool note_signed(struct examining *x, const json_t *line, struct olv_error *err)
{
    const char *kind = word(line, "kind");
    x->has_begun |= strcmp(kind, "begin") == 0;
    if (strcmp(kind, "outcome") == 0)
        tell(x, line);
    return strcmp(kind, "intent") != 0 || add_batch(x, line, err);
}

static const char *judge_intent(struct examining *x, const char *text, size_t len, struct olv_error *err)
{
    char where[128];
    enum docket_finding docket = docket_of_line(x->state, x->hasher, &x->scratch, text, len, where, err);
    return docket == DOCKET_SOUND || docket == DOCKET_UNREAD ? NULL
                                                             : "its docket is not there, or is another one";
}

/* What is wrong with a line after the checkpoint; NULL: nothing. */
static const char *judge(struct examining *x, const json_t *line, const char *text, size_t len,
                         struct olv_error *err)
{
    const char *kind = word(line, "kind"), *what = NULL;
    if (strcmp(kind, "repair") == 0)
        return NULL;
    if (!*x->run)
        return "no run is open";
    if (strcmp(word(line, "run"), x->run) != 0)
        return "it is of another run than the open one";
    if (strcmp(kind, "begin") == 0) {
        what = x->has_begun ? "its run had begun already" : NULL;
        x->has_begun = true;
        return what;
    }
    if (!x->has_begun)
        return "its run has not begun";
    if (strcmp(kind, "outcome") == 0)
        return tell(x, line);
    if (strcmp(kind, "intent") == 0) {
        what = judge_intent(x, text, len, err);
        if (!what && err->code == OLV_OK)
            add_batch(x, line, err);
        return what;
    }
    return strcmp(kind, "end") == 0 || strcmp(kind, "archive") == 0 || strcmp(kind, "removal") == 0
               ? NULL
               : "its kind is not known";
}

static bool tail_take_line(struct examining *x, const char *text, size_t len, struct olv_error *err)
{
    bool is_signed = x->number < x->covered, ok = true;
    json_t *line;
    if (is_signed && (!*x->run || !strstr(text, x->needle)))
        return true;
    line = json_loadb(text, len, 0, NULL);
    if (is_signed)
        ok = !line || strcmp(word(line, "run"), x->run) != 0 || note_signed(x, line, err);
    else
        x->fault->what = line ? judge(x, line, text, len, err) : "it is not a line of a ledger";
    json_decref(line);
    return ok && err->code == OLV_OK;
}

static bool tail_read_volume(struct examining *x, uint64_t first, struct olv_error *err)
{
    struct tail_fault *fault = x->fault;
    struct line_reader r;
    bool is_torn = false, ok = true;
    size_t len;
    char *line;
    ledger_volume_name(first, fault->file);
    if (!line_reader_open(&r, x->dir, fault->file, err))
        return false;
    x->number = first;
    while (ok && (line = line_reader_next(&r, &len, &is_torn, err)) && !is_torn) {
        ok = tail_take_line(x, line, len, err);
        if (fault->what)
            break;
        x->number++;
    }
    fault->line = x->number;
    fault->at = x->number - first + 1;
    line_reader_close(&r);
    return ok && err->code == OLV_OK;
}

/* ---- */

bool tail_examine(int state, int dir, uint64_t covered, struct tail_fault *out, struct olv_error *err)
{
    struct examining x = {.state = state, .dir = dir, .covered = covered, .fault = out};
    uint64_t *firsts = NULL;
    size_t count = 0;
    bool ok = ledger_volumes(dir, &firsts, &count, err) && ledger_open_run(state, x.run, err);
    snprintf(x.needle, sizeof x.needle, "\"run\":\"%s\"", x.run);
    *out = (struct tail_fault){0};
    x.hasher = olv_hasher_new();
    ok = ok && (x.hasher || olv_fail_memory(err));
    for (size_t i = 0; ok && i < count && !out->what; i++)
        ok = tail_read_volume(&x, firsts[i], err);
    for (size_t i = 0; i < x.count; i++)
        free(x.batches[i].recorded);
    free(x.batches);
    free(firsts);
    olv_hasher_free(x.hasher);
    olv_text_free(&x.scratch);
    return ok;
}
