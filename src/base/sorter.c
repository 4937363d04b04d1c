/* SPDX-License-Identifier: Apache-2.0 */
/* Records go into one buffer; a full buffer is sorted and written as a run. Reading merges the runs, each
 * through a small window, always taking the least head of all (there are few runs: one per 16 MiB of
 * records). */
#include "olvido/sorter.h"

#include "base/grow.h"
#include "base/temporary.h"

#include <errno.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { BUFFER = 16 << 20, WINDOW = 32768, MOST_RUNS = 4096 };

/* A record's layout in buffer and file; its bytes follow. */
struct header {
    struct olv_instant key;
    uint64_t len;
};

struct run {
    long long at, end; /* its unread part in the file */
    char *window;      /* NULL: the run is in memory */
    size_t window_at, window_len;
    const struct header *head; /* NULL at its end */
    size_t next;               /* in memory: the next pointer */
};

struct olv_sorter {
    pthread_mutex_t mutex;
    char *buffer;
    size_t used, cap;
    const struct header **records; /* pointers into the buffer, once sorted */
    size_t count;
    FILE *file;
    struct run *runs;
    size_t run_count;
    bool is_reading, is_reversed;
    struct run *taken;  /* the run whose head was returned last */
    struct run *second; /* the run with the least head of all others; NULL: none left */
};

struct olv_sorter *olv_sorter_new(struct olv_error *err)
{
    struct olv_sorter *s = allocate(sizeof *s, err);
    if (!s)
        return NULL;
    pthread_mutex_init(&s->mutex, NULL);
    return s;
}

static int sorter_compare(const struct header *a, const struct header *b)
{
    int order = olv_instant_compare(a->key, b->key);
    size_t least = (size_t)(a->len < b->len ? a->len : b->len);
    if (order == 0)
        order = memcmp(a + 1, b + 1, least);
    return order ? order : (a->len < b->len ? -1 : a->len > b->len);
}

static int compare_pointers(const void *a, const void *b)
{
    const struct header *const *x = a, *const *y = b;
    return sorter_compare(*x, *y);
}

static int compare_reversed(const void *a, const void *b)
{
    return compare_pointers(b, a);
}

/* Whether `a` comes before `b`. */
static bool comes_before(const struct olv_sorter *s, const struct header *a, const struct header *b)
{
    return s->is_reversed ? sorter_compare(b, a) < 0 : sorter_compare(a, b) < 0;
}

void olv_sorter_reverse(struct olv_sorter *s)
{
    s->is_reversed = true;
}

static size_t room_of(size_t len)
{
    return (sizeof(struct header) + len + 7) / 8 * 8;
}

static bool sort_buffer(struct olv_sorter *s)
{
    size_t i = 0;
    free(s->records);
    s->records = malloc((s->count ? s->count : 1) * sizeof *s->records);
    if (!s->records)
        return false;
    for (size_t at = 0; at < s->used; i++) {
        const struct header *h = (const struct header *)(const void *)(s->buffer + at);
        s->records[i] = h;
        at += room_of((size_t)h->len);
    }
    qsort(s->records, s->count, sizeof *s->records, s->is_reversed ? compare_reversed : compare_pointers);
    return true;
}

static bool add_run(struct olv_sorter *s, struct run run)
{
    if (s->run_count == MOST_RUNS || !grow_by_one(&s->runs, s->run_count, sizeof *s->runs))
        return false;
    s->runs[s->run_count++] = run;
    return true;
}

static bool write_run(struct olv_sorter *s, struct olv_error *err)
{
    struct run run = {0};
    if (!s->file && !(s->file = olv_temporary()))
        return olv_fail_system(err, "", "cannot make a temporary file for sorting");
    if (!sort_buffer(s))
        return olv_fail_memory(err);
    run.at = ftello(s->file);
    for (size_t i = 0; i < s->count; i++)
        if (fwrite(s->records[i], room_of((size_t)s->records[i]->len), 1, s->file) != 1)
            return olv_fail_system(err, "", "cannot write a temporary file for sorting");
    run.end = ftello(s->file);
    s->used = s->count = 0;
    return add_run(s, run) ? true : olv_fail_memory(err);
}

static bool sorter_make_room(struct olv_sorter *s, size_t need, struct olv_error *err)
{
    size_t cap = s->cap ? s->cap : 65536;
    char *grown;
    if (s->used + need > BUFFER && s->used > 0 && !write_run(s, err))
        return false;
    while (cap < s->used + need)
        cap *= 2;
    if (cap == s->cap)
        return true;
    grown = realloc(s->buffer, cap);
    if (!grown)
        return olv_fail_memory(err);
    s->buffer = grown;
    s->cap = cap;
    return true;
}

bool olv_sorter_add(struct olv_sorter *s, struct olv_sorted record, struct olv_error *err)
{
    struct header header = {record.key, record.len};
    bool ok;
    pthread_mutex_lock(&s->mutex);
    ok = sorter_make_room(s, room_of(record.len), err);
    if (ok) {
        memcpy(s->buffer + s->used, &header, sizeof header);
        memcpy(s->buffer + s->used + sizeof header, record.bytes, record.len);
        s->used += room_of(record.len);
        s->count++;
    }
    pthread_mutex_unlock(&s->mutex);
    return ok;
}

/* ---- reading ---- */

static bool fill_window(struct olv_sorter *s, struct run *run, size_t need, struct olv_error *err)
{
    size_t left = run->window_len - run->window_at, want;
    if (need > WINDOW) {
        char *grown = realloc(run->window, need);
        if (!grown)
            return olv_fail_memory(err);
        run->window = grown;
    }
    memmove(run->window, run->window + run->window_at, left);
    want = (need > WINDOW ? need : WINDOW) - left;
    if ((long long)want > run->end - run->at)
        want = (size_t)(run->end - run->at);
    if (fseeko(s->file, run->at, SEEK_SET) < 0 || fread(run->window + left, 1, want, s->file) != want)
        return olv_fail_system(err, "", "cannot read a temporary file for sorting");
    run->at += (long long)want;
    run->window_at = 0;
    run->window_len = left + want;
    return true;
}

static bool advance_file(struct olv_sorter *s, struct run *run, struct olv_error *err)
{
    size_t left = run->window_len - run->window_at, need = sizeof(struct header);
    run->head = NULL;
    if (left == 0 && run->at == run->end)
        return true;
    for (int pass = 0; pass < 2; pass++) {
        const struct header *head;
        if (run->window_len - run->window_at < need && !fill_window(s, run, need, err))
            return false;
        head = (const struct header *)(const void *)(run->window + run->window_at);
        need = room_of((size_t)head->len);
        run->head = head;
    }
    run->window_at += need;
    return true;
}

static bool advance(struct olv_sorter *s, struct run *run, struct olv_error *err)
{
    if (run->window)
        return advance_file(s, run, err);
    run->head = run->next < s->count ? s->records[run->next++] : NULL;
    return true;
}

static bool begin_reading(struct olv_sorter *s, struct olv_error *err)
{
    if (!sort_buffer(s))
        return olv_fail_memory(err);
    for (size_t i = 0; i < s->run_count; i++)
        if (!(s->runs[i].window = malloc(WINDOW)))
            return olv_fail_memory(err);
    if (!add_run(s, (struct run){0}))
        return olv_fail_memory(err);
    for (size_t i = 0; i < s->run_count; i++)
        if (!advance(s, &s->runs[i], err))
            return false;
    s->is_reading = true;
    return true;
}

/* The two runs with the least heads. The first is read until its head passes the second's, because records
 * often come in runs of neighbours. */
static void pick(struct olv_sorter *s)
{
    s->taken = s->second = NULL;
    for (size_t i = 0; i < s->run_count; i++) {
        struct run *run = &s->runs[i];
        if (!run->head)
            continue;
        if (!s->taken || comes_before(s, run->head, s->taken->head)) {
            s->second = s->taken;
            s->taken = run;
        } else if (!s->second || comes_before(s, run->head, s->second->head)) {
            s->second = run;
        }
    }
}

bool olv_sorter_next(struct olv_sorter *s, struct olv_sorted *out, struct olv_error *err)
{
    const struct header *head;
    olv_error_clear(err);
    if (!s->is_reading && !begin_reading(s, err))
        return false;
    if (s->taken && !advance(s, s->taken, err))
        return false;
    if (!s->taken || !s->taken->head || (s->second && !comes_before(s, s->taken->head, s->second->head)))
        pick(s);
    if (!s->taken)
        return false;
    head = s->taken->head;
    *out = (struct olv_sorted){head->key, head + 1, (size_t)head->len};
    return true;
}

void olv_sorter_free(struct olv_sorter *s)
{
    if (!s)
        return;
    for (size_t i = 0; i < s->run_count; i++)
        free(s->runs[i].window);
    if (s->file)
        fclose(s->file);
    free(s->runs);
    free(s->records);
    free(s->buffer);
    pthread_mutex_destroy(&s->mutex);
    free(s);
}
