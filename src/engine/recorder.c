/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/recorder.h"

#include "base/crew.h"
#include "base/digest.h"

#include <stdlib.h>
#include <string.h>

struct record {
    enum { OUTCOME, INTENT, COLLECT } what; /* an intent also collects */
    struct olv_docket_entry entry;
    struct olv_location location; /* of the outcome, if it has one */
    struct olv_outcome_facts facts;
    struct olv_intent_facts intent;
    uint8_t digest[OLV_SHA256_SIZE];
    char *words; /* owned: the strings of the facts, each with its NUL; NULL when out of memory */
};

/* Records are handed over in chunks. */
enum { CHUNK = 256, CHUNKS = 2 * OLV_SEGMENT_ENTRIES / CHUNK + 2 };
struct chunk {
    struct record records[CHUNK];
    size_t count;
};

struct recorder {
    struct olv_ledger *ledger;
    struct crew *crew; /* of one thread */
    struct chunk chunks[CHUNKS];
    size_t at;                         /* the chunk being filled */
    unsigned long given, collected_at; /* chunks so far; chunks up to the last record that collects */
    bool has_failed;                   /* memory ran out */
};

static void write_record(struct olv_ledger *ledger, struct record *record)
{
    if (record->what == OUTCOME && record->words)
        olv_ledger_outcome(ledger, &record->facts);
    if (record->what == INTENT)
        olv_ledger_intent(ledger, &record->intent);
    if (record->what != OUTCOME)
        olv_ledger_collect(ledger);
    free(record->words);
}

static void recorder_work(void *self, unsigned worker, void *job)
{
    struct recorder *r = self;
    struct chunk *chunk = job;
    (void)worker;
    for (size_t i = 0; i < chunk->count; i++)
        write_record(r->ledger, &chunk->records[i]);
    chunk->count = 0;
}

struct recorder *recorder_new(struct olv_ledger *ledger)
{
    struct recorder *r = malloc(sizeof *r);
    if (!r)
        return NULL;
    r->ledger = ledger;
    r->at = 0;
    r->given = r->collected_at = 0;
    r->has_failed = false;
    for (size_t i = 0; i < CHUNKS; i++)
        r->chunks[i].count = 0;
    r->crew = crew_new(1, CHUNKS, recorder_work, r);
    if (r->crew)
        return r;
    free(r);
    return NULL;
}

/* Gives the current chunk to the thread; the next one is free. */
static void recorder_give(struct recorder *r)
{
    if (r->chunks[r->at].count == 0)
        return;
    crew_give(r->crew, &r->chunks[r->at]);
    r->given++;
    r->at = (r->at + 1) % CHUNKS;
    if (crew_under_way(r->crew) == CHUNKS)
        crew_take(r->crew);
}

bool recorder_drain(struct recorder *r)
{
    recorder_give(r);
    while (crew_take(r->crew))
        ;
    return !r->has_failed;
}

/* Where the next record goes. */
static struct record *recorder_next(struct recorder *r)
{
    struct chunk *chunk = &r->chunks[r->at];
    struct record *record;
    if (chunk->count == CHUNK) {
        recorder_give(r);
        chunk = &r->chunks[r->at];
    }
    record = &chunk->records[chunk->count++];
    record->words = NULL;
    return record;
}

/* The strings of a line. */
enum { WORDS = 9 };
static void words_of(struct olv_outcome_facts *f, struct olv_docket_entry *e, const char **out[WORDS])
{
    const char **const words[WORDS] = {&f->reason,    &f->trash,     &f->trash_place, &f->path,  &f->into,
                                       &e->rule_name, &e->directory, &e->name,        &e->target};
    memcpy(out, words, sizeof words);
}

/* Copies the borrowed strings. */
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
    struct record *record = recorder_next(r);
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
}

void recorder_collect(struct recorder *r, const struct olv_intent_facts *intent)
{
    struct record *record = recorder_next(r);
    record->what = intent ? INTENT : COLLECT;
    if (intent)
        record->intent = *intent;
    recorder_give(r);
    r->collected_at = r->given;
}

void recorder_await_collected(struct recorder *r)
{
    crew_await(r->crew, r->collected_at);
}

void recorder_free(struct recorder *r)
{
    if (!r)
        return;
    recorder_drain(r);
    crew_free(r->crew);
    free(r);
}
