/* SPDX-License-Identifier: Apache-2.0 */
/* In a group: write all new files side by side, sync them together, read them back; publish each in turn;
 * sync the directories; and only then remove the originals. Small files take one thread each; a large one
 * takes all of them. A note on the new file (an extended attribute) says what it was made from, so that it is
 * recognised after a crash. */
#include "act/shrinks.h"

#include "base/crew.h"
#include "file/identity.h"
#include "file/origin.h"
#include "file/touched.h"
#include "olvido/path.h"
#include "os/files.h"
#include "os/os.h"
#include "source/asking.h"
#include "source/destination.h"
#include "source/ending.h"
#include "source/judged.h"
#include "source/records.h"
#include "source/settling.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { SPARE_JOBS = 2 };

static struct origin origin_of(const struct olv_docket_entry *e)
{
    struct origin origin = {.act = e->act, .size_bytes = e->identity.size_bytes};
    snprintf(origin.name, sizeof origin.name, "%s", e->name);
    return origin;
}

/* For where there can be no note on the new file. */
static void note_before(const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct origin origin = origin_of(e);
    o->before_len = origin_pack(&origin, o->before);
}

/* ---- making ---- */

struct making {
    struct turn *turn;
    const struct group *group;
    const struct shrinks *way;
    struct shrinker **shrinkers; /* one per worker */
    unsigned workers;
    bool is_proving;
};

/* An entry's number as a job: never NULL. */
static void *job_of(size_t i)
{
    return (void *)(uintptr_t)(i + 1);
}

static size_t shrinks_number_of(const void *job)
{
    return (size_t)(uintptr_t)job - 1;
}

/* Without extended attributes or birth times there is no note; the run remembers it instead. */
static void note_origin(const struct turn *turn, struct shrinking *s, const struct olv_docket_entry *e)
{
    struct origin origin = origin_of(e);
    s->is_noted = origin_write(s->task.fresh.fd, &origin, turn->session->notes);
}

static void do_one(struct making *m, struct shrinker *shrinker, size_t i)
{
    struct shrinking *s = m->group->made[i];
    struct olv_outcome *o = &m->group->outcomes[i];
    struct olv_instant begin = olv_os_now(), end;
    bool ok;
    if (olv_observe_interrupted(m->turn->session->options.observer))
        ok = olv_fail(&o->error, OLV_INTERRUPTED, "interrupted before it was reached");
    else if (m->is_proving)
        ok = shrink_prove(shrinker, &s->task, &o->error);
    else
        ok = m->way->write(shrinker, &s->task, &o->error);
    end = olv_os_now();
    o->seconds += (double)(end.s - begin.s) + ((double)end.ns - (double)begin.ns) / 1e9;
    if (!ok)
        outcome_failed(o);
    else if (!m->is_proving)
        note_origin(m->turn, s, &m->group->entries[i]);
}

static void shrinks_work(void *self, unsigned worker, void *job)
{
    struct making *m = self;
    do_one(m, m->shrinkers[worker], shrinks_number_of(job));
}

static bool is_large(const struct group *g, size_t i)
{
    return g->entries[i].identity.size_bytes > SHRINK_SMALL;
}

/* First the small files, in parallel; then the large ones one by one, each on many threads. */
static void do_all(struct making *m, struct crew *crew, unsigned most)
{
    const struct group *g = m->group;
    for (size_t i = 0; i < g->count; i++) {
        if (!proven_goes_on(g, i) || is_large(g, i))
            continue;
        if (crew_under_way(crew) == most)
            crew_take(crew);
        crew_give(crew, job_of(i));
    }
    while (crew_take(crew))
        ;
    for (size_t i = 0; i < g->count; i++) {
        struct shrinking *s = g->made[i];
        if (!proven_goes_on(g, i) || !is_large(g, i))
            continue;
        s->task.observer = m->turn->session->options.observer;
        s->task.files_before = g->files_done + i;
        s->task.bytes_before = g->bytes_done;
        do_one(m, m->shrinkers[0], i);
    }
}

/* A file stays if it would not become at least 2 % smaller, or if its other hard links would keep the space
 * in use. */
static bool is_worth_it(const struct shrinking *s, struct olv_error *err)
{
    const struct shrink_task *t = &s->task;
    if (!s->way->packs)
        return true;
    if (t->packed_bytes > t->plain_bytes - t->plain_bytes / 50)
        return olv_fail(err, OLV_NO_GAIN, "it would not become at least 2 %% smaller");
    if (t->stat.links > 1 && !s->how->keeps)
        return olv_fail(err, OLV_NO_GAIN, "it has %llu names (hard links), which would keep the space in use",
                        (unsigned long long)t->stat.links);
    return true;
}

static void leave_what_is_not_worth_it(const struct group *g)
{
    for (size_t i = 0; i < g->count; i++) {
        struct shrinking *s = g->made[i];
        struct olv_outcome *o = &g->outcomes[i];
        if (!proven_goes_on(g, i) || is_worth_it(s, &o->error))
            continue;
        o->result = OLV_LEFT;
    }
}

static struct shrinking *shrinks_begin(struct making *m, size_t i)
{
    const struct olv_docket_entry *e = &m->group->entries[i];
    struct olv_outcome *o = &m->group->outcomes[i];
    struct shrinking *s = calloc(1, sizeof *s);
    if (!s) {
        olv_fail_memory(&o->error);
        o->result = OLV_FAILED;
        return NULL;
    }
    olv_reach_begin(&s->source);
    turn_label(s->label, m->turn, m->group->sequence + i);
    s->way = m->way;
    s->how = e->arguments;
    if (!olv_reach_directory(&s->source, e, &o->error) ||
        !m->way->name(e, s->wanted, sizeof s->wanted, &o->error))
        outcome_failed(o);
    s->task = shrink_task(s->source.fd, e->name, &e->identity);
    s->task.label = s->label;
    s->task.codec = (enum olv_codec)s->how->codec;
    s->task.level = s->how->level;
    s->task.most_bytes = s->how->most_bytes;
    s->task.workers = m->workers;
    s->task.keeps = s->how->keeps;
    s->new.fresh = &s->task.fresh;
    s->new.is_spared = !s->way->packs; /* restored to its former self */
    s->new.wanted = s->wanted;
    olv_path_add(&s->new.path, e->directory, s->wanted);
    return s;
}

static bool make_shrinkers(struct making *m)
{
    m->shrinkers = calloc(m->workers, sizeof(struct shrinker *));
    for (unsigned i = 0; m->shrinkers && i < m->workers; i++)
        if (!(m->shrinkers[i] = shrinker_new()))
            return false;
    return m->shrinkers != NULL;
}

bool shrinks_make(struct turn *turn, struct group *g, struct olv_error *err)
{
    struct making m = {.turn = turn, .group = g, .way = turn->own.hooks->own, .workers = olv_os_cpus()};
    unsigned most = m.workers + SPARE_JOBS;
    struct olv_error why = {0};
    struct crew *crew = make_shrinkers(&m) ? crew_new(m.workers, most, shrinks_work, &m) : NULL;
    (void)err; /* on failure, its entries fail */
    for (size_t i = 0; i < g->count; i++)
        if (g->outcomes[i].result == OLV_PENDING)
            g->made[i] = shrinks_begin(&m, i);
    if (crew) {
        do_all(&m, crew, most);
        leave_what_is_not_worth_it(g);
        proven_sync(g);
        m.is_proving = true;
        do_all(&m, crew, most);
        proven_record(turn, g);
    } else {
        olv_fail_memory(&why);
        group_fail(g, &why);
    }
    crew_free(crew);
    for (unsigned i = 0; m.shrinkers && i < m.workers; i++)
        shrinker_free(m.shrinkers[i]);
    free(m.shrinkers);
    return true;
}

/* ---- in its turn ---- */

void shrinks_apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct shrinking *s = turn->made.here;
    if (!s || !judged_verify(turn->directory.fd, e->name, e, true, o) ||
        !destination_is_allowed(turn, e, turn->directory.fd, s->wanted, o))
        return;
    if (!proven_publish(&s->new, e, o))
        return;
    o->into = olv_text_string(&s->new.path);
    o->digest = s->how->keeps && !s->way->packs ? NULL : s->task.digest;
    o->is_noted = s->is_noted;
    o->after = &s->new.made;
    if (!s->is_noted)
        note_before(e, o);
    o->has_packed = true;
    o->packed_bytes = s->way->packs ? s->task.packed_bytes : s->task.plain_bytes;
}

/* ---- together again ---- */

/* A file restored to its former self needs no note of its origin. */
static void shrinks_finish(const struct turn *turn, struct shrinking *s)
{
    if (!fresh_keep(&s->task.fresh))
        olv_observe_unreadable(turn->session->options.observer, s->task.fresh.aside,
                               "what was replaced cannot be removed", errno);
    if (!s->way->packs)
        origin_remove(s->task.fresh.fd);
}

/* The original goes only while the new file stands under its name. */
static bool let_go(struct turn *turn, struct shrinking *s, struct olv_docket_entry *e, struct olv_outcome *o)
{
    enum olv_truth stands = fresh_stands(&s->task.fresh, s->new.placed);
    if (stands == OLV_UNKNOWN)
        return olv_fail_system(&o->error, "", "cannot look at its new file, so it stays");
    if (stands == OLV_NO)
        return olv_fail(&o->error, OLV_SYSTEM, "its new file is not under its name any more, so it stays");
    own_change_follow(turn, s->source.fd, e);
    return shrink_is_unchanged(&s->task, &o->error) &&
           ask_about(turn, &s->source, e, s->task.is_watched, o) && ending_end(turn, &s->source, e, o);
}

void shrinks_complete(struct turn *turn, const struct group *g)
{
    struct olv_error err = {0};
    bool is_synced = proven_sync_directories(g, &err);
    for (size_t i = 0; i < g->count; i++) {
        struct olv_docket_entry *e = &g->entries[i];
        struct olv_outcome *o = &g->outcomes[i];
        struct shrinking *s = g->made[i];
        if (!proven_goes_on(g, i))
            continue;
        if (!is_synced) {
            o->error = err;
            proven_take_back(&s->new, o);
        } else if (!s->how->keeps && !let_go(turn, s, e, o)) {
            proven_take_back(&s->new, o);
        } else {
            o->result = OLV_DONE;
            shrinks_finish(turn, s);
        }
    }
}

void shrinks_drop(const struct group *g)
{
    for (size_t i = 0; i < g->count; i++) {
        struct shrinking *s = g->made[i];
        if (!s)
            continue;
        shrink_end(&s->task);
        olv_reach_end(&s->source);
        proven_free(&s->new);
        free(s);
    }
}

/* ---- after a crash ---- */

/* False if the new file carries a note, or cannot be looked at. */
static bool find_made(struct turn *turn, const char *placed, struct olv_outcome *o)
{
    struct origin ignored;
    o->after = &turn->crash.made;
    return olv_os_stat(turn->directory.fd, placed, &turn->crash.made) &&
           !origin_read(turn->directory.fd, placed, &turn->crash.made, turn->session->notes, &ignored);
}

/* If the original still exists, the new file got no further than its name: it is removed. */
enum olv_truth shrinks_applied(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char label[FRESH_LABEL], wanted[NAME_MAX + 64], placed[NAME_MAX + 1];
    const struct shrinks *way = turn->own.hooks->own;
    struct settling_search s;
    enum olv_truth is_there, found;
    turn_label(label, turn, turn->sequence);
    ending_settle(turn, e);
    is_there = settling_is_there(turn, e);
    if (!way->name(e, wanted, sizeof wanted, &o->error))
        return is_there == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    if (!settling_search_for(&s, turn, e, label, wanted, &o->error))
        return OLV_UNKNOWN;
    found = fresh_find(turn->directory.fd, &s.search, placed);
    if (found == OLV_UNKNOWN)
        return OLV_UNKNOWN;
    if (found == OLV_NO)
        return is_there == OLV_YES ? OLV_NO : OLV_UNKNOWN;
    if (is_there == OLV_UNKNOWN)
        return OLV_UNKNOWN;
    if (is_there == OLV_YES && !((const struct shrink_arguments *)e->arguments)->keeps) {
        if (fresh_settle_back(turn->directory.fd, &s.search, placed))
            return OLV_NO;
        olv_fail_system(&o->error, "", "its new file is beside it, and cannot be removed: %.250s", placed);
        o->result = OLV_FAILED;
        return OLV_YES;
    }
    fresh_settle_keep(turn->directory.fd, label);
    olv_text_clear(&turn->scratch.placed);
    olv_path_add(&turn->scratch.placed, e->directory, placed);
    o->into = olv_text_string(&turn->scratch.placed);
    o->result = OLV_DONE;
    o->is_noted = !find_made(turn, placed, o);
    note_before(e, o);
    return OLV_YES;
}
