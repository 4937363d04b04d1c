/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/commits.h"

#include "base/crew.h"
#include "os/durable.h"
#include "state/reserve.h"

#include <stdlib.h>
#include <unistd.h>

struct commits {
    struct olv_run *run;
    struct recorder *recorder;
    struct crew *crew; /* of one thread; NULL: no thread, and everything is done at once */

    /* The caller's; during a commit, the thread's. */
    struct touched touched;
    const struct segment *segment;
    uint64_t batch;
    bool ok;
    struct olv_error error;
};

static bool put_pages(void *self, int file, struct olv_error *err)
{
    const struct segment *s = self;
    struct olv_text page = {0};
    bool ok = true;
    for (uint64_t at = s->at; ok && at < s->until;)
        ok =
            olv_spool_read(s->docket, &at, &page, err) &&
            (olv_write_all(file, page.data, page.len) || olv_fail_system(err, "", "cannot write the docket"));
    olv_text_free(&page);
    return ok;
}

static bool write_segment(const struct commits *c, struct olv_error *err)
{
    struct segment segment = *c->segment;
    int directory = c->run->directory;
    char name[32];
    run_segment_name(name, c->batch);
    return olv_write_new_by(directory, name, put_pages, &segment, err) &&
           (fsync(directory) == 0 || olv_fail_system(err, name, "cannot sync the docket"));
}

/* In this order: an outcome is never durable before its act, nor an intent before its segment. */
static bool commit(struct commits *c, struct olv_error *err)
{
    int state = c->run->state.dir;
    if (c->segment)
        reserve_fill(state); /* refills what was used as soon as there is room again */
    if (!touched_sync(&c->touched, err))
        return false;
    while (c->segment && !write_segment(c, err))
        if (!reserve_use(state, err))
            return false;
    recorder_await_collected(c->recorder);
    return run_write(c->run, err);
}

static void commits_work(void *self, unsigned worker, void *job)
{
    struct commits *c = job;
    (void)self;
    (void)worker;
    c->ok = commit(c, &c->error);
}

struct commits *commits_new(struct olv_run *run, struct recorder *recorder)
{
    struct commits *c = calloc(1, sizeof *c);
    if (!c)
        return NULL;
    c->run = run;
    c->recorder = recorder;
    c->crew = crew_new(1, 1, commits_work, NULL);
    return c;
}

void commits_begin(struct commits *c, struct touched *touched, const struct segment *segment, uint64_t batch)
{
    c->touched = *touched;
    *touched = (struct touched){0};
    c->segment = segment;
    c->batch = batch;
    c->error = (struct olv_error){0};
    if (c->crew)
        crew_give(c->crew, c);
    else
        c->ok = commit(c, &c->error);
}

bool commits_wait(struct commits *c, struct olv_error *err)
{
    if (c->crew)
        crew_take(c->crew);
    if (!c->ok)
        *err = c->error;
    return c->ok;
}

void commits_free(struct commits *c)
{
    if (!c)
        return;
    crew_free(c->crew);
    touched_free(&c->touched);
    free(c);
}
