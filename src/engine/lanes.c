/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/lanes.h"

#include "base/crew.h"
#include "engine/one_entry.h"
#include "olvido/path.h"
#include "os/os.h"
#include "source/asking.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

/* An entry of the group, and the directory that it lies in: its private room is called by the inode. */
struct placed {
    uint64_t inode;
    size_t entry;
};

/* Entries of one directory: of `order`, these. */
struct span {
    size_t from, until;
    bool ok;
    struct olv_error err; /* otherwise */
};

struct lanes {
    struct carrying *carrying;
    struct crew *crew;
    struct olv_session session;   /* the run's, with an observer that is called by one thread at a time */
    struct olv_observer observer; /* that one */
    pthread_mutex_t mutex;        /* for the run's observer, and what the batch touched */
    struct several *group;        /* the current one */
    uint64_t sequence;            /* of the entry before its first one */
    struct placed order[MOST_BESIDE];
    struct span spans[MOST_BESIDE];
    unsigned count;
    struct turn turns[];
};

/* ---- on a thread ---- */

static void lanes_trouble(void *self, const struct olv_trouble *trouble)
{
    struct lanes *l = self;
    pthread_mutex_lock(&l->mutex);
    olv_observe_trouble(l->carrying->run->session->options.observer, *trouble);
    pthread_mutex_unlock(&l->mutex);
}

static bool lanes_interrupted(void *self)
{
    const struct lanes *l = self;
    return olv_observe_interrupted(l->carrying->run->session->options.observer);
}

static void lanes_work(void *self, unsigned worker, void *job)
{
    struct lanes *l = self;
    struct span *span = job;
    struct turn *turn = &l->turns[worker];
    for (size_t i = span->from; i < span->until; i++) {
        size_t entry = l->order[i].entry;
        turn->sequence = l->sequence + 1 + entry;
        one_do(l->carrying, turn, &l->group->entries[entry], &l->group->outcomes[entry]);
    }
    pthread_mutex_lock(&l->mutex);
    span->ok = one_note_source(l->carrying, turn, &span->err);
    pthread_mutex_unlock(&l->mutex);
}

/* ---- the caller ---- */

struct lanes *lanes_new(struct carrying *c)
{
    unsigned count = olv_os_cpus();
    struct lanes *l = count > 1 ? calloc(1, sizeof *l + count * sizeof *l->turns) : NULL;
    if (!l)
        return NULL;
    l->carrying = c;
    l->count = count;
    l->observer =
        (struct olv_observer){.self = l, .trouble = lanes_trouble, .is_interrupted = lanes_interrupted};
    for (unsigned i = 0; i < count; i++)
        olv_reach_begin(&l->turns[i].directory);
    pthread_mutex_init(&l->mutex, NULL);
    l->crew = crew_new(count, MOST_BESIDE, lanes_work, l);
    if (l->crew)
        return l;
    lanes_free(l);
    return NULL;
}

void lanes_free(struct lanes *l)
{
    if (!l)
        return;
    crew_free(l->crew);
    for (unsigned i = 0; i < l->count; i++) {
        olv_reach_end(&l->turns[i].directory);
        olv_text_free(&l->turns[i].scratch.path);
        olv_text_free(&l->turns[i].scratch.placed);
        asking_end(&l->turns[i]);
    }
    pthread_mutex_destroy(&l->mutex);
    free(l);
}

bool lanes_help(const struct several *g)
{
    return g->count > 1 && g->entries[0].at.inode != g->entries[g->count - 1].at.inode;
}

static void lend_turns(struct lanes *l)
{
    const struct turn *turn = &l->carrying->run->turn;
    l->session = *l->carrying->run->session;
    l->session.options.observer = &l->observer;
    for (unsigned i = 0; i < l->count; i++) {
        l->turns[i].session = &l->session;
        l->turns[i].run = turn->run;
        l->turns[i].own = turn->own;
    }
}

static int compare_placed(const void *left, const void *right)
{
    const struct placed *a = left, *b = right;
    if (a->inode != b->inode)
        return a->inode < b->inode ? -1 : 1;
    return a->entry < b->entry ? -1 : 1;
}

/* Whether it lies in the directory that the other one is, however deep. */
static bool is_below(const struct olv_docket_entry *e, const struct olv_docket_entry *directory)
{
    const char *behind = olv_path_behind(e->directory, directory->directory);
    size_t len = strlen(directory->name);
    if (!behind)
        return false;
    behind += *behind == '/';
    return strncmp(behind, directory->name, len) == 0 && (behind[len] == '/' || behind[len] == '\0');
}

/* Between a directory and what is in it, others come only if there are such names; see
 * olv_path_add_bottom_up.
 */
static bool has_odd_names(const struct several *g)
{
    for (size_t i = 0; i < g->count; i++)
        if (strchr(g->entries[i].directory, '\1') || strchr(g->entries[i].name, '\1'))
            return true;
    return false;
}

/* Whether the last span goes on with this entry: what is in it is in that one, or both lie side by side. */
static bool goes_on(const struct several *g, const struct span *last, size_t entry)
{
    const struct olv_docket_entry *e = &g->entries[entry], *before = &g->entries[entry - 1];
    return is_below(&g->entries[last->until - 1], e) ||
           (last->until == entry && strcmp(before->directory, e->directory) == 0);
}

/* A directory comes right after what is in it, on the same thread. Nothing is taken into a room, so several
 * threads may work in the one around. */
static size_t split_bottom_up(struct lanes *l, const struct several *g)
{
    size_t count = 0;
    bool is_one = has_odd_names(g);
    for (size_t i = 0; i < g->count; i++) {
        l->order[i].entry = i;
        l->spans[count++] = (struct span){.from = i, .until = i + 1};
        for (; count > 1 && (is_one || goes_on(g, &l->spans[count - 2], i)); count--)
            l->spans[count - 2].until = i + 1;
    }
    return count;
}

/* Two threads never work in one directory, not even through two mounts. */
static size_t lanes_split(struct lanes *l, const struct several *g)
{
    size_t count = 0;
    if (g->entries[0].act->order == OLV_BOTTOM_UP)
        return split_bottom_up(l, g);
    for (size_t i = 0; i < g->count; i++)
        l->order[i] = (struct placed){g->entries[i].at.inode, i};
    qsort(l->order, g->count, sizeof *l->order, compare_placed);
    for (size_t i = 0; i < g->count; i++) {
        if (i == 0 || l->order[i - 1].inode != l->order[i].inode)
            l->spans[count++] = (struct span){.from = i};
        l->spans[count - 1].until = i + 1;
    }
    return count;
}

bool lanes_do(struct lanes *l, struct several *g, struct olv_error *err)
{
    struct turn *turn = &l->carrying->run->turn;
    size_t count = lanes_split(l, g);
    struct span *span;
    bool ok = true;
    l->group = g;
    l->sequence = turn->sequence;
    lend_turns(l);
    stage_leave(&turn->ending.stage, turn->session->options.observer);
    for (size_t i = 0; i < count; i++)
        crew_give(l->crew, &l->spans[i]);
    while ((span = crew_take(l->crew)))
        if (!span->ok && ok) {
            *err = span->err;
            ok = false;
        }
    for (unsigned i = 0; i < l->count; i++)
        stage_leave(&l->turns[i].ending.stage, turn->session->options.observer);
    turn->sequence += g->count;
    return ok;
}
