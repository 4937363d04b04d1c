/* SPDX-License-Identifier: Apache-2.0 */
/* One array for a batch: the adder fills it from the front, the thread follows. They meet at a mutex once for
 * every few records, not for each. */
#include "run/recorder.h"

#include "base/digest.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

enum { SHARE_EVERY = 64 };

struct record {
    struct olv_docket_entry entry;
    struct olv_outcome_facts facts;
    uint8_t digest[OLV_SHA256_SIZE];
    char *words; /* owned: the strings of the facts, each with its NUL; NULL when out of memory */
};

struct recorder {
    struct olv_ledger *ledger;
    pthread_t thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    size_t added;        /* by the adder, for itself */
    size_t shared, done; /* guarded by the mutex: what the thread may take, and what it has written */
    bool is_ending, has_failed;
    struct record records[OLV_SEGMENT_ENTRIES];
};

static void write_record(struct recorder *r, struct record *record)
{
    if (record->words)
        olv_ledger_outcome(r->ledger, &record->facts);
    free(record->words);
}

static void *work(void *argument)
{
    struct recorder *r = argument;
    size_t at = 0, end;
    pthread_mutex_lock(&r->mutex);
    for (;;) {
        while (r->done == r->shared && !r->is_ending)
            pthread_cond_wait(&r->changed, &r->mutex);
        if (r->done == r->shared)
            break;
        at = r->done;
        end = r->shared;
        pthread_mutex_unlock(&r->mutex);
        for (; at < end; at++)
            write_record(r, &r->records[at]);
        pthread_mutex_lock(&r->mutex);
        r->done = end;
        pthread_cond_broadcast(&r->changed);
    }
    pthread_mutex_unlock(&r->mutex);
    return NULL;
}

struct recorder *recorder_new(struct olv_ledger *ledger)
{
    struct recorder *r = malloc(sizeof *r);
    if (!r)
        return NULL;
    r->ledger = ledger;
    r->added = r->shared = r->done = 0;
    r->is_ending = r->has_failed = false;
    pthread_mutex_init(&r->mutex, NULL);
    pthread_cond_init(&r->changed, NULL);
    if (pthread_create(&r->thread, NULL, work, r) == 0)
        return r;
    pthread_cond_destroy(&r->changed);
    pthread_mutex_destroy(&r->mutex);
    free(r);
    return NULL;
}

static void share(struct recorder *r)
{
    pthread_mutex_lock(&r->mutex);
    r->shared = r->added;
    pthread_cond_broadcast(&r->changed);
    pthread_mutex_unlock(&r->mutex);
}

static const char *append(char **at, const char *word)
{
    size_t len = strlen(word) + 1;
    char *copy = memcpy(*at, word, len);
    *at += len;
    return copy;
}

bool recorder_drain(struct recorder *r)
{
    share(r);
    pthread_mutex_lock(&r->mutex);
    while (r->done < r->added)
        pthread_cond_wait(&r->changed, &r->mutex);
    r->added = r->shared = r->done = 0;
    pthread_mutex_unlock(&r->mutex);
    return !r->has_failed;
}

void recorder_add(struct recorder *r, const struct olv_outcome_facts *facts)
{
    struct record *record;
    char *at;
    if (r->added == OLV_SEGMENT_ENTRIES)
        recorder_drain(r); /* that memory ran out is remembered */
    record = &r->records[r->added++];
    at = malloc(strlen(facts->reason) + strlen(facts->trash) + strlen(facts->trash_place) +
                strlen(facts->path) + strlen(facts->into) + 5);
    record->words = at;
    record->entry = *facts->entry;
    record->facts = *facts;
    record->facts.entry = &record->entry;
    r->has_failed |= !at;
    if (at) {
        record->facts.reason = append(&at, facts->reason);
        record->facts.trash = append(&at, facts->trash);
        record->facts.trash_place = append(&at, facts->trash_place);
        record->facts.path = append(&at, facts->path);
        record->facts.into = append(&at, facts->into);
    }
    if (facts->digest) {
        memcpy(record->digest, facts->digest, sizeof record->digest);
        record->facts.digest = record->digest;
    }
    if (r->added % SHARE_EVERY == 0)
        share(r);
}

void recorder_free(struct recorder *r)
{
    if (!r)
        return;
    recorder_drain(r);
    pthread_mutex_lock(&r->mutex);
    r->is_ending = true;
    pthread_cond_broadcast(&r->changed);
    pthread_mutex_unlock(&r->mutex);
    pthread_join(r->thread, NULL);
    pthread_cond_destroy(&r->changed);
    pthread_mutex_destroy(&r->mutex);
    free(r);
}
