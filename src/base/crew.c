/* SPDX-License-Identifier: Apache-2.0 */
/* A ring of jobs: given at one end, started by any free worker, taken at the other end. */
#include "base/crew.h"

#include <pthread.h>
#include <stdbool.h>
#include <stdlib.h>

struct crew {
    void (*work)(void *self, unsigned worker, void *job);
    void *self;
    pthread_mutex_t mutex;
    pthread_cond_t given_one, done_one;
    struct slot {
        void *job;
        bool is_done;
    } * ring;
    unsigned most;
    unsigned long taken, begun, done, given; /* counts; a job's slot is its number modulo `most` */
    bool must_end;
    struct worker {
        struct crew *crew;
        unsigned number;
        pthread_t thread;
    } * workers;
    unsigned worker_count;
};

static void *crew_work(void *arg)
{
    const struct worker *w = arg;
    struct crew *c = w->crew;
    pthread_mutex_lock(&c->mutex);
    for (;;) {
        struct slot *slot;
        while (c->begun == c->given && !c->must_end)
            pthread_cond_wait(&c->given_one, &c->mutex);
        if (c->begun == c->given)
            break;
        slot = &c->ring[c->begun++ % c->most];
        pthread_mutex_unlock(&c->mutex);
        c->work(c->self, w->number, slot->job);
        pthread_mutex_lock(&c->mutex);
        slot->is_done = true;
        c->done++;
        pthread_cond_broadcast(&c->done_one);
    }
    pthread_mutex_unlock(&c->mutex);
    return NULL;
}

struct crew *crew_new(unsigned workers, unsigned most, void (*function)(void *, unsigned, void *), void *self)
{
    struct crew *c = calloc(1, sizeof *c);
    if (!c)
        return NULL;
    c->work = function;
    c->self = self;
    c->most = most;
    c->ring = calloc(most, sizeof *c->ring);
    c->workers = calloc(workers, sizeof *c->workers);
    pthread_mutex_init(&c->mutex, NULL);
    pthread_cond_init(&c->given_one, NULL);
    pthread_cond_init(&c->done_one, NULL);
    for (unsigned i = 0; c->ring && c->workers && i < workers; i++) {
        c->workers[i] = (struct worker){.crew = c, .number = i};
        if (pthread_create(&c->workers[i].thread, NULL, crew_work, &c->workers[i]) != 0)
            break;
        c->worker_count++;
    }
    if (c->worker_count)
        return c;
    crew_free(c);
    return NULL;
}

unsigned crew_under_way(const struct crew *c)
{
    return (unsigned)(c->given - c->taken); /* only the caller's thread changes these */
}

void crew_give(struct crew *c, void *job)
{
    pthread_mutex_lock(&c->mutex);
    c->ring[c->given++ % c->most] = (struct slot){.job = job};
    pthread_cond_signal(&c->given_one);
    pthread_mutex_unlock(&c->mutex);
}

void *crew_take(struct crew *c)
{
    struct slot *slot = &c->ring[c->taken % c->most];
    if (c->taken == c->given)
        return NULL;
    pthread_mutex_lock(&c->mutex);
    while (!slot->is_done)
        pthread_cond_wait(&c->done_one, &c->mutex);
    c->taken++;
    pthread_mutex_unlock(&c->mutex);
    return slot->job;
}

void crew_await(struct crew *c, unsigned long jobs)
{
    pthread_mutex_lock(&c->mutex);
    while (c->done < jobs)
        pthread_cond_wait(&c->done_one, &c->mutex);
    pthread_mutex_unlock(&c->mutex);
}

void crew_free(struct crew *c)
{
    if (!c)
        return;
    pthread_mutex_lock(&c->mutex);
    c->must_end = true;
    pthread_cond_broadcast(&c->given_one);
    pthread_mutex_unlock(&c->mutex);
    for (unsigned i = 0; i < c->worker_count; i++)
        pthread_join(c->workers[i].thread, NULL);
    pthread_cond_destroy(&c->done_one);
    pthread_cond_destroy(&c->given_one);
    pthread_mutex_destroy(&c->mutex);
    free(c->workers);
    free(c->ring);
    free(c);
}
