/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/commits.h"

#include "os/durable.h"
#include "state/reserve.h"

#include <pthread.h>
#include <stdlib.h>
#include <unistd.h>

struct commits {
    struct olv_run *run;
    struct recorder *recorder;
    pthread_t thread;
    bool has_thread;
    pthread_mutex_t mutex;
    pthread_cond_t changed;
    bool is_busy, must_end; /* under the mutex */

    /* The caller's; while it is busy, the thread's. */
    struct touched touched;
    const struct olv_text *segment;
    uint64_t batch;
    bool ok;
    struct olv_error error;
};

static bool write_segment(const struct commits *c, struct olv_error *err)
{
    int directory = c->run->directory;
    char name[32];
    run_segment_name(name, c->batch);
    return olv_write_new(directory, name, c->segment->data, c->segment->len, err) &&
           (fsync(directory) == 0 || olv_fail_system(err, name, "cannot bring the docket to the disk"));
}

/* In this order: an outcome is never durable before its act, nor an intent before its segment. */
static bool commit(struct commits *c, struct olv_error *err)
{
    int state = c->run->state.dir;
    if (c->segment)
        reserve_fill(state); /* what was used is made good as soon as there is room again */
    if (!touched_sync(&c->touched, err))
        return false;
    while (c->segment && !write_segment(c, err))
        if (!reserve_use(state, err))
            return false;
    recorder_await_gathered(c->recorder);
    return run_write(c->run, err);
}

static void *work(void *self)
{
    struct commits *c = self;
    pthread_mutex_lock(&c->mutex);
    for (;;) {
        while (!c->is_busy && !c->must_end)
            pthread_cond_wait(&c->changed, &c->mutex);
        if (!c->is_busy)
            break;
        pthread_mutex_unlock(&c->mutex);
        c->ok = commit(c, &c->error);
        pthread_mutex_lock(&c->mutex);
        c->is_busy = false;
        pthread_cond_broadcast(&c->changed);
    }
    pthread_mutex_unlock(&c->mutex);
    return NULL;
}

struct commits *commits_new(struct olv_run *run, struct recorder *recorder)
{
    struct commits *c = calloc(1, sizeof *c);
    if (!c)
        return NULL;
    c->run = run;
    c->recorder = recorder;
    pthread_mutex_init(&c->mutex, NULL);
    pthread_cond_init(&c->changed, NULL);
    c->has_thread = pthread_create(&c->thread, NULL, work, c) == 0;
    return c;
}

void commits_begin(struct commits *c, struct touched *touched, const struct olv_text *segment, uint64_t batch)
{
    c->touched = *touched;
    *touched = (struct touched){0};
    c->segment = segment;
    c->batch = batch;
    c->error = (struct olv_error){0};
    if (!c->has_thread) {
        c->ok = commit(c, &c->error);
        return;
    }
    pthread_mutex_lock(&c->mutex);
    c->is_busy = true;
    pthread_cond_broadcast(&c->changed);
    pthread_mutex_unlock(&c->mutex);
}

bool commits_wait(struct commits *c, struct olv_error *err)
{
    pthread_mutex_lock(&c->mutex);
    while (c->is_busy)
        pthread_cond_wait(&c->changed, &c->mutex);
    pthread_mutex_unlock(&c->mutex);
    if (!c->ok)
        *err = c->error;
    return c->ok;
}

void commits_free(struct commits *c)
{
    if (!c)
        return;
    pthread_mutex_lock(&c->mutex);
    c->must_end = true;
    pthread_cond_broadcast(&c->changed);
    pthread_mutex_unlock(&c->mutex);
    if (c->has_thread)
        pthread_join(c->thread, NULL);
    touched_free(&c->touched);
    pthread_cond_destroy(&c->changed);
    pthread_mutex_destroy(&c->mutex);
    free(c);
}
