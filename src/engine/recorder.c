/* SPDX-License-Identifier: Apache-2.0 */
/* A ring: the adder fills it, the thread follows. They meet at a mutex once for every few records, not for
 * each. */
#include "engine/recorder.h"

#include "base/digest.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

enum { SHARE_EVERY = 256, ROOM = 2 * OLV_SEGMENT_ENTRIES };

struct record {
    enum { OUTCOME, INTENT, GATHER } what; /* an intent gathers, too */
    struct olv_docket_entry entry;
    struct olv_location location; /* of that, where it has one */
    struct olv_outcome_facts facts;
    struct olv_intent_facts intent;
    uint8_t digest[OLV_SHA256_SIZE];
    char *words; /* owned: the strings of the facts, each with its NUL; NULL when out of memory */
};

struct recorder {
    struct olv_ledger *ledger;
    pthread_t thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    /* How many records there were up to now; a record's place is its number, modulo the room. */
    uint64_t added, taken; /* the adder's own: what it added, and what it knows to be written */
    uint64_t gather_at;    /* the adder's own: behind the last one that gathers */
    uint64_t shared, done; /* guarded by the mutex: what the thread may take, and what it has written */
    bool is_ending;
    bool has_failed; /* the adder's own: memory ran out */
    struct record records[ROOM];
};

static void write_record(struct recorder *r, struct record *record)
{
    if (record->what == OUTCOME && record->words)
        olv_ledger_outcome(r->ledger, &record->facts);
    if (record->what == INTENT)
        olv_ledger_intent(r->ledger, &record->intent);
    if (record->what != OUTCOME)
        olv_ledger_gather(r->ledger);
    free(record->words);
}

static void *work(void *argument)
{
    struct recorder *r = argument;
    uint64_t at, end;
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
            write_record(r, &r->records[at % ROOM]);
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
    r->added = r->taken = r->gather_at = r->shared = r->done = 0;
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

/* Waits until so many are written. */
static void reach(struct recorder *r, uint64_t count)
{
    pthread_mutex_lock(&r->mutex);
    while (r->done < count)
        pthread_cond_wait(&r->changed, &r->mutex);
    pthread_mutex_unlock(&r->mutex);
}

bool recorder_drain(struct recorder *r)
{
    share(r);
    reach(r, r->added);
    r->taken = r->added;
    return !r->has_failed;
}

/* The place of the next record. */
static struct record *next(struct recorder *r)
{
    struct record *record;
    if (r->added - r->taken == ROOM) {
        share(r);
        r->taken = r->added - ROOM / 2;
        reach(r, r->taken);
    }
    record = &r->records[r->added++ % ROOM];
    record->words = NULL;
    return record;
}

/* The strings that a line may be made of. */
enum { WORDS = 9 };
static void words_of(struct olv_outcome_facts *f, struct olv_docket_entry *e, const char **out[WORDS])
{
    const char **const words[WORDS] = {&f->reason,    &f->trash,     &f->trash_place, &f->path,  &f->into,
                                       &e->rule_name, &e->directory, &e->name,        &e->target};
    memcpy(out, words, sizeof words);
}

/* Copies them, for they are borrowed. */
static bool keep_words(struct record *record)
{
    const char **words[WORDS];
    size_t lens[WORDS], sum = 0;
    char *at;
    words_of(&record->facts, &record->entry, words);
    for (int i = 0; i < WORDS; i++)
        sum += lens[i] = strlen(*words[i]) + 1;
    record->words = at = malloc(sum);
    for (int i = 0; at && i < WORDS; i++) {
        *words[i] = memcpy(at, *words[i], lens[i]);
        at += lens[i];
    }
    return record->words;
}

void recorder_add(struct recorder *r, const struct olv_outcome_facts *facts)
{
    struct record *record = next(r);
    record->what = OUTCOME;
    record->entry = *facts->entry;
    if (record->entry.location) {
        record->location = *record->entry.location;
        record->entry.location = &record->location;
    }
    record->facts = *facts;
    record->facts.entry = &record->entry;
    r->has_failed |= !keep_words(record);
    if (facts->digest) {
        memcpy(record->digest, facts->digest, sizeof record->digest);
        record->facts.digest = record->digest;
    }
    if (r->added % SHARE_EVERY == 0)
        share(r);
}

void recorder_gather(struct recorder *r, const struct olv_intent_facts *intent)
{
    struct record *record = next(r);
    record->what = intent ? INTENT : GATHER;
    if (intent)
        record->intent = *intent;
    r->gather_at = r->added;
    share(r);
}

void recorder_await_gathered(struct recorder *r)
{
    reach(r, r->gather_at);
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
