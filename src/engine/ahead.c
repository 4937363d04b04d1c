/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/ahead.h"

#include "os/os.h"

#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>

/* Entries are passed on in pieces. Few of them are under way at once: what is prepared is half an item in the
 * trash, and should not be seen for long. */
enum { PIECE = 32, SLOTS = 2 * PIECE, MOST_KNOWN = 16 };

struct ahead {
    pthread_t thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    char run[64];
    struct olv_instant now;

    /* Under the mutex. */
    struct known {
        uint64_t mount;
        struct olv_trash *trash;
    } known[MOST_KNOWN];
    size_t known_count;
    const void *segment; /* NULL: no batch is under way */
    size_t segment_len;
    uint64_t sequence;
    bool is_small;
    uint64_t taken; /* every slot before this one is free */
    uint64_t ready; /* every slot before this one is filled */
    bool is_idle;   /* the thread is not in the batch any more */
    bool must_end;

    struct ahead_made slots[SLOTS]; /* by number; between `ready` and `taken` + SLOTS the thread's */
    uint64_t seen;                  /* of the taker: `ready` when it looked last */

    /* The thread's own. */
    struct olv_info_writer writer;
    struct olv_text path;
};

/* ---- the thread ---- */

/* What is known of the trash for an entry, copied under the mutex once for each piece. */
struct knowledge {
    struct known known[MOST_KNOWN];
    size_t count;
};

static struct olv_trash *trash_for(const struct knowledge *k, uint64_t mount)
{
    for (size_t i = 0; i < k->count; i++)
        if (k->known[i].mount == mount)
            return k->known[i].trash;
    return NULL;
}

static void prepare(struct ahead *a, const struct knowledge *k, const struct olv_docket_entry *e,
                    uint64_t number)
{
    const struct hooks *hooks = hooks_of(e);
    struct ahead_made *slot = &a->slots[number % SLOTS];
    struct ahead_turn context = {.run = a->run,
                                 .sequence = a->sequence + number + 1,
                                 .now = a->now,
                                 .is_small = a->is_small,
                                 .trash = trash_for(k, e->at.mount),
                                 .writer = &a->writer,
                                 .path = &a->path};
    slot->is_made = hooks && hooks->prepare && hooks->prepare(&context, e, slot);
}

/* Waits until there is room for a piece; false when the batch is over. */
static bool may_go_on(struct ahead *a, struct knowledge *k)
{
    bool goes_on;
    pthread_mutex_lock(&a->mutex);
    while (!a->must_end && a->segment && a->ready + PIECE > a->taken + SLOTS)
        pthread_cond_wait(&a->changed, &a->mutex);
    goes_on = !a->must_end && a->segment;
    k->count = a->known_count;
    for (size_t i = 0; i < k->count; i++)
        k->known[i] = a->known[i];
    pthread_mutex_unlock(&a->mutex);
    return goes_on;
}

static void hand_on(struct ahead *a, uint64_t ready)
{
    pthread_mutex_lock(&a->mutex);
    a->ready = ready;
    pthread_cond_broadcast(&a->changed);
    pthread_mutex_unlock(&a->mutex);
}

static void do_batch(struct ahead *a, const void *segment, size_t len)
{
    struct olv_error ignored = {0};
    struct olv_segment_reader *reader = olv_segment_open(segment, len, &ignored);
    struct knowledge k;
    struct olv_docket_entry e;
    uint64_t number = 0;
    bool more = reader != NULL;
    while (more && may_go_on(a, &k)) {
        uint64_t end = number + PIECE;
        while (number < end && (more = olv_segment_next(reader, &e, &ignored)))
            prepare(a, &k, &e, number++);
        hand_on(a, number);
    }
    olv_segment_close(reader);
}

static void *work(void *self)
{
    struct ahead *a = self;
    pthread_mutex_lock(&a->mutex);
    while (!a->must_end) {
        const void *segment = a->segment;
        size_t len = a->segment_len;
        if (!segment && !a->is_idle) { /* the batch was over before it had begun */
            a->is_idle = true;
            pthread_cond_broadcast(&a->changed);
        }
        if (!segment || a->is_idle) {
            pthread_cond_wait(&a->changed, &a->mutex);
            continue;
        }
        pthread_mutex_unlock(&a->mutex);
        do_batch(a, segment, len);
        pthread_mutex_lock(&a->mutex);
        a->is_idle = true;
        pthread_cond_broadcast(&a->changed);
    }
    pthread_mutex_unlock(&a->mutex);
    return NULL;
}

/* ---- the caller ---- */

struct ahead *ahead_new(const char *run, struct olv_instant now)
{
    struct ahead *a = olv_os_cpus() > 1 ? calloc(1, sizeof *a) : NULL;
    if (!a)
        return NULL;
    snprintf(a->run, sizeof a->run, "%s", run);
    a->now = now;
    a->is_idle = true;
    pthread_mutex_init(&a->mutex, NULL);
    pthread_cond_init(&a->changed, NULL);
    if (pthread_create(&a->thread, NULL, work, a) == 0)
        return a;
    pthread_cond_destroy(&a->changed);
    pthread_mutex_destroy(&a->mutex);
    free(a);
    return NULL;
}

void ahead_free(struct ahead *a)
{
    if (!a)
        return;
    ahead_end(a);
    pthread_mutex_lock(&a->mutex);
    a->must_end = true;
    pthread_cond_broadcast(&a->changed);
    pthread_mutex_unlock(&a->mutex);
    pthread_join(a->thread, NULL);
    pthread_cond_destroy(&a->changed);
    pthread_mutex_destroy(&a->mutex);
    olv_info_writer_free(&a->writer);
    olv_text_free(&a->path);
    free(a);
}

void ahead_know(struct ahead *a, uint64_t mount, struct olv_trash *trash)
{
    bool is_known = false;
    if (!a)
        return;
    for (size_t i = 0; !is_known && i < a->known_count; i++) /* only this thread changes it */
        is_known = a->known[i].mount == mount;
    if (is_known || a->known_count == MOST_KNOWN)
        return;
    pthread_mutex_lock(&a->mutex);
    a->known[a->known_count++] = (struct known){mount, trash};
    pthread_mutex_unlock(&a->mutex);
}

void ahead_begin(struct ahead *a, const struct olv_text *segment, uint64_t sequence, bool is_small)
{
    if (!a)
        return;
    pthread_mutex_lock(&a->mutex);
    a->segment = segment->data;
    a->segment_len = segment->len;
    a->is_small = is_small;
    a->sequence = sequence;
    a->taken = a->ready = a->seen = 0;
    a->is_idle = false;
    pthread_cond_broadcast(&a->changed);
    pthread_mutex_unlock(&a->mutex);
}

struct ahead_made *ahead_take(struct ahead *a, uint64_t number)
{
    if (!a || !a->segment)
        return NULL;
    if (number >= a->seen) {
        pthread_mutex_lock(&a->mutex);
        a->taken = number;
        pthread_cond_broadcast(&a->changed);
        while (a->ready <= number && !a->is_idle)
            pthread_cond_wait(&a->changed, &a->mutex);
        a->seen = a->ready;
        pthread_mutex_unlock(&a->mutex);
    }
    return number < a->seen ? &a->slots[number % SLOTS] : NULL;
}

void ahead_drop(struct ahead_made *prepared)
{
    if (prepared && prepared->is_made)
        olv_trash_abandon(prepared->trash, prepared->item);
    if (prepared)
        prepared->is_made = false;
}

void ahead_end(struct ahead *a)
{
    if (!a || !a->segment)
        return;
    pthread_mutex_lock(&a->mutex);
    a->segment = NULL;
    pthread_cond_broadcast(&a->changed);
    while (!a->is_idle)
        pthread_cond_wait(&a->changed, &a->mutex);
    pthread_mutex_unlock(&a->mutex);
    for (size_t i = 0; i < SLOTS; i++)
        ahead_drop(&a->slots[i]);
}
