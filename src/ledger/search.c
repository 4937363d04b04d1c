/* SPDX-License-Identifier: Apache-2.0 */
/* Finds lines. Lines have a fixed form, so what a query asks for appears in a line as certain bytes: most
 * lines are skipped by a byte search, and only the rest are parsed as JSON and compared. Whole volumes are
 * skipped by their times, and blocks of closed ones by the index. */
#include "ledger/index.h"
#include "ledger/reading.h"
#include "olvido/json.h"
#include "olvido/path.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { MOST_NEEDLES = 6 };

struct searching {
    const struct olv_ledger_query *query;
    struct reading reading;
    int dir;
    struct olv_text needles[MOST_NEEDLES]; /* a line must contain all of them */
    size_t needle_count;
    struct olv_text path; /* as the ledger spells it, without quotes */
    bool (*each)(void *self, const struct olv_ledger_record *record);
    void *self;
    bool is_over;
};

/* ---- what a line must have ---- */

static struct olv_text *new_needle(struct searching *s)
{
    return &s->needles[s->needle_count++];
}

static void add_needle(struct searching *s, const char *key, const char *value)
{
    if (value)
        olv_json_put_string(new_needle(s), key, value);
}

/* The start of the member: what follows is a quote, or a slash and the rest. */
static void add_path_needle(struct searching *s, const char *path)
{
    static const char before[] = "\"path\":\"";
    struct olv_text whole = {0};
    const char *from, *end;
    olv_json_put_name(&whole, "path", path);
    from = strstr(olv_text_string(&whole), before);
    if (from) {
        for (end = from + sizeof before - 1; *end && *end != '"';)
            end += *end == '\\' && end[1] ? 2 : 1;
        olv_text_add(&s->path, from + sizeof before - 1, (size_t)(end - from) - (sizeof before - 1));
        olv_text_add(new_needle(s), from, (size_t)(end - from));
    }
    s->path.failed |= whole.failed;
    olv_text_free(&whole);
}

static bool search_prepare(struct searching *s)
{
    const struct olv_ledger_query *q = s->query;
    add_needle(s, "kind", q->kind);
    add_needle(s, "run", q->run);
    add_needle(s, "rule", q->rule);
    if (q->act_count == 1)
        add_needle(s, "act", q->acts[0]);
    if (q->result_count == 1)
        add_needle(s, "result", q->results[0]);
    if (q->path)
        add_path_needle(s, q->path);
    for (size_t i = 0; i < s->needle_count; i++)
        if (s->needles[i].failed)
            return false;
    return !s->path.failed;
}

static bool may_fit(const struct searching *s, const char *line)
{
    for (size_t i = s->needle_count; i-- > 0;) {
        const struct olv_text *needle = &s->needles[i];
        size_t skip = needle->len && needle->data[0] == ','; /* olv_json_put_string begins with a comma */
        if (!strstr(line, needle->data + skip))
            return false;
    }
    return true;
}

/* ---- what a record must be ---- */

static bool is_one_of(const char *word, const char *const *words, size_t count)
{
    for (size_t i = 0; i < count; i++)
        if (strcmp(words[i], word) == 0)
            return true;
    return count == 0;
}

static bool is_in_time(struct searching *s, const char *text)
{
    const struct olv_ledger_query *q = s->query;
    struct olv_instant t;
    size_t at;
    if (!q->has_since && !q->has_until)
        return true;
    if (!olv_instant_parse(text, strlen(text), &t, &at))
        return false;
    return (!q->has_since || olv_instant_compare(t, q->since) >= 0) &&
           (!q->has_until || olv_instant_compare(t, q->until) < 0);
}

static bool search_fits(void *self, const struct olv_ledger_record *r)
{
    struct searching *s = self;
    const struct olv_ledger_query *q = s->query;
    bool is_wanted =
        (!q->kind || strcmp(q->kind, r->kind) == 0) && (!q->run || strcmp(q->run, r->run) == 0) &&
        (!q->rule || strcmp(q->rule, r->rule) == 0) && is_one_of(r->act, q->acts, q->act_count) &&
        is_one_of(r->result, q->results, q->result_count) &&
        (!q->path || olv_path_behind(r->path, q->path)) && is_in_time(s, r->time);
    if (is_wanted && !s->each(s->self, r))
        s->is_over = true;
    return !s->is_over;
}

/* ---- volumes and blocks ---- */

/* Cuts off the `open` part at the line's end: inside a string no quote looks like that. */
static size_t without_names(char *line, size_t len)
{
    char *open = strstr(line, ",\"open\":{");
    if (!open)
        return len;
    *open = '}';
    return (size_t)(open - line) + 1;
}

/* Searches the lines that begin at `from` or later, and before `until`. */
static bool search_bytes(struct searching *s, struct line_reader *r, const char *name, uint64_t from,
                         uint64_t until, struct olv_error *err)
{
    uint64_t at = from;
    bool is_torn, go_on = true;
    char *line;
    size_t len;
    if (!line_reader_seek(r, &at, err))
        return false;
    while (go_on && at < until && (line = line_reader_next(r, &len, &is_torn, err)) && !is_torn) {
        at += len + 1;
        if (may_fit(s, line))
            go_on = reading_line(&s->reading, line, s->query->without_names ? without_names(line, len) : len,
                                 name, 0, err);
    }
    return go_on && err->code == OLV_OK;
}

static bool search_blocks(struct searching *s, struct line_reader *r, const char *name,
                          const uint32_t *blocks, size_t count, struct olv_error *err)
{
    for (size_t i = 0; i < count; i++) {
        uint64_t from = (uint64_t)blocks[i] * LEDGER_BLOCK;
        if (!search_bytes(s, r, name, from, from + LEDGER_BLOCK, err))
            return false;
    }
    return true;
}

static bool search_volume(struct searching *s, uint64_t first, struct olv_error *err)
{
    char name[LEDGER_NAME_SIZE];
    struct line_reader r;
    uint32_t *blocks = NULL;
    size_t count = 0;
    bool ok;
    ledger_volume_name(first, name);
    if (!line_reader_open(&r, s->dir, name, err))
        return false;
    if (s->path.len > 1 && ledger_index_find(s->dir, first, s->path.data, s->path.len, &blocks, &count))
        ok = search_blocks(s, &r, name, blocks, count, err);
    else
        ok = search_bytes(s, &r, name, 0, UINT64_MAX, err);
    free(blocks);
    line_reader_close(&r);
    return ok;
}

/* The time of a volume's first line; false if it cannot be read. */
static bool begins_at(const struct searching *s, uint64_t first, struct olv_instant *out)
{
    char name[LEDGER_NAME_SIZE], *line;
    struct line_reader r;
    struct olv_error ignored = {0};
    bool is_torn;
    size_t len;
    ledger_volume_name(first, name);
    if (!line_reader_open(&r, s->dir, name, &ignored))
        return false;
    line = line_reader_next(&r, &len, &is_torn, &ignored);
    *out = line ? line_time(line) : (struct olv_instant){0};
    line_reader_close(&r);
    return out->s != 0;
}

/* Times never decrease from line to line, so a volume's range ends with the first line of the next. */
static bool may_have(const struct searching *s, const uint64_t *firsts, size_t count, size_t i)
{
    const struct olv_ledger_query *q = s->query;
    struct olv_instant t;
    if (q->has_since && i + 1 < count && begins_at(s, firsts[i + 1], &t) &&
        olv_instant_compare(t, q->since) < 0)
        return false;
    return !q->has_until || !begins_at(s, firsts[i], &t) || olv_instant_compare(t, q->until) < 0;
}

bool olv_ledger_search(const char *state, const struct olv_ledger_query *query,
                       bool (*each)(void *self, const struct olv_ledger_record *record), void *self,
                       struct olv_error *err)
{
    struct searching s = {.query = query, .each = each, .self = self};
    uint64_t *firsts = NULL;
    size_t count = 0;
    bool ok;
    s.reading = (struct reading){.each = search_fits, .self = &s};
    s.dir = ledger_open_directory(state, err);
    ok = s.dir >= 0 && ledger_volumes(s.dir, &firsts, &count, err) &&
         (search_prepare(&s) || olv_fail_memory(err));
    if (ok)
        olv_error_clear(err);
    for (size_t i = 0; ok && i < count; i++)
        ok = !may_have(&s, firsts, count, i) || search_volume(&s, firsts[i], err);
    if (s.dir >= 0)
        close(s.dir);
    free(firsts);
    for (size_t i = 0; i < s.needle_count; i++)
        olv_text_free(&s.needles[i]);
    olv_text_free(&s.path);
    reading_free(&s.reading);
    return err->code == OLV_OK;
}

static bool stop_at_first(void *self, const struct olv_ledger_record *record)
{
    bool *is_there = self;
    (void)record;
    *is_there = true;
    return false;
}

const char *const olv_ledger_results[] = {"done",    "told",     "left",        "refused", "failed",
                                          "unknown", "finished", "interrupted", "settled", NULL};

bool olv_ledger_has_run(const char *state, const char *run)
{
    const struct olv_ledger_query query = {.run = run};
    struct olv_error ignored = {0};
    bool is_there = false;
    olv_ledger_search(state, &query, stop_at_first, &is_there, &ignored);
    return is_there;
}
