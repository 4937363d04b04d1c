/* SPDX-License-Identifier: Apache-2.0 */
/* A walk of its own: what is in a directory is summed up in a record while it is walked, and when the last of
 * it has been seen the directory is judged and its sum joins the one above. So only the directories under way
 * are in memory, and those with a verdict. */
#include "run/whole.h"

#include "scan/contents.h"

#include <pthread.h>
#include <stdatomic.h>
#include <stdlib.h>

enum { CLOCKS = OLV_CLOCK_NAME, LOCKS = 64, NOBODY = -1, SEVERAL = -2 };

/* A directory under way. */
struct record {
    struct olv_stat stat; /* its own */
    struct judged_directory judged;
    struct olv_contents contents;
    struct olv_instant youngest[CLOCKS]; /* of what is in it, by each clock */
    int owner;                           /* the one rule that owns something in it; NOBODY, SEVERAL */
    bool is_blocked;                     /* something in it is kept, held, recovered, or cannot be known */
    bool has_open;                       /* something in it is open for writing */
};

struct wholes_worker {
    struct judge judge;
    struct whole *found;
    size_t count, cap;
};

struct finding {
    const struct judging *judging;
    const struct olv_observer *observer;
    struct wholes_worker *workers;
    pthread_mutex_t locks[LOCKS]; /* a record's is chosen by its address */
    atomic_bool out_of_memory;
};

struct wholes {
    struct whole *items; /* sorted */
    size_t count;
};

static pthread_mutex_t *lock_of(struct finding *f, const struct record *r)
{
    return &f->locks[((uintptr_t)r / sizeof *r) % LOCKS];
}

/* ---- summing up ---- */

static void add_owner(struct record *r, int owner)
{
    if (r->owner == NOBODY)
        r->owner = owner;
    else if (owner != NOBODY && r->owner != owner)
        r->owner = SEVERAL;
}

static void add_time(struct record *r, enum olv_clock clock, struct olv_instant t)
{
    if (olv_instant_compare(t, r->youngest[clock]) > 0)
        r->youngest[clock] = t;
}

static struct olv_instant time_of(const struct olv_stat *stat, int clock)
{
    const struct olv_instant times[CLOCKS] = {stat->modified, stat->accessed, stat->changed, stat->born};
    return times[clock];
}

/* Whether a file with this verdict keeps the directories around it where they are. */
static bool blocks(enum olv_reason reason)
{
    return reason == OLV_KEPT || reason == OLV_UNDECIDED || reason == OLV_GONE;
}

static void add_file(struct finding *f, struct wholes_worker *w, struct record *r,
                     struct olv_scan_entry *entry)
{
    struct olv_verdict v = judge_file(&w->judge, entry);
    bool is_known = olv_scan_look(entry);
    struct judged_entry judged = is_known ? judge_entry(&w->judge, entry) : (struct judged_entry){0};
    pthread_mutex_lock(lock_of(f, r));
    r->is_blocked |= blocks(v.reason) || !is_known || judged.is_held || judged.in_respite;
    r->has_open |= judged.is_in_use;
    add_owner(r, v.reason == OLV_NOT_OWNED || v.reason == OLV_GONE ? NOBODY : (int)v.rule);
    if (is_known) {
        olv_contents_add(&r->contents, &entry->stat);
        for (int clock = 0; clock < CLOCKS; clock++)
            add_time(r, (enum olv_clock)clock, time_of(&entry->stat, clock));
    }
    pthread_mutex_unlock(lock_of(f, r));
}

/* ---- judging one ---- */

/* The directory as a subject whose facts are known already. */
struct whole_subject {
    struct olv_subject subject; /* first member */
    struct olv_stat stat;
    const struct record *record;
};

static const struct olv_stat *look(struct olv_subject *subject)
{
    return subject->stat;
}

static enum olv_truth is_held(struct olv_subject *subject)
{
    return ((struct whole_subject *)subject)->record->judged.is_held ? OLV_YES : OLV_NO;
}

static bool in_respite(struct olv_subject *subject)
{
    return ((struct whole_subject *)subject)->record->judged.in_respite;
}

static const struct olv_subject_facts whole_facts = {
    .look = look, .is_held = is_held, .in_respite = in_respite};

static bool is_spared_by_contents(const struct record *r, const struct olv_rule *rule)
{
    return r->is_blocked || (r->has_open && !rule->open_too) || r->owner == SEVERAL ||
           (r->owner != NOBODY && r->owner != (int)r->judged.rule);
}

static struct olv_verdict judge_record(const struct finding *f, const struct record *r)
{
    const struct olv_decider *decider = f->judging->decider;
    const struct olv_rule *rule = &f->judging->policy->rules[r->judged.rule];
    struct olv_verdict v = {.reason = OLV_NO_DATE, .rule = r->judged.rule};
    struct whole_subject s = {.stat = r->stat, .record = r};
    struct olv_instant start = r->judged.own_start;
    s.subject = (struct olv_subject){.kind = OLV_KIND_DIRECTORY, .stat = &s.stat, .facts = &whole_facts};
    if (r->contents.entries) {
        s.stat.modified = r->youngest[OLV_CLOCK_MODIFIED];
        s.stat.accessed = r->youngest[OLV_CLOCK_ACCESSED];
        s.stat.changed = r->youngest[OLV_CLOCK_CHANGED];
        s.stat.born = r->youngest[OLV_CLOCK_BORN];
    }
    if (rule->clock == OLV_CLOCK_NAME
            ? !r->judged.has_own_start
            : !olv_decider_start(decider, r->judged.rule, &s.subject, &start, &v.reason))
        return v;
    v = olv_decider_judge(decider, r->judged.rule, &s.subject, start);
    if (v.reason == OLV_DUE && rule->steps[v.step].act != OLV_ACT_TELL && is_spared_by_contents(r, rule))
        v.reason = OLV_INSIDE;
    return v;
}

static void keep(struct finding *f, struct wholes_worker *w, const struct record *r, struct olv_verdict v)
{
    if (w->count == w->cap) {
        size_t cap = w->cap ? 2 * w->cap : 64;
        struct whole *grown = realloc(w->found, cap * sizeof *grown);
        if (!grown) {
            atomic_store(&f->out_of_memory, true);
            return;
        }
        w->found = grown;
        w->cap = cap;
    }
    w->found[w->count++] = (struct whole){.mount = r->stat.mount,
                                          .inode = r->stat.inode,
                                          .reason = v.reason,
                                          .rule = v.rule,
                                          .step = v.step,
                                          .since = v.since,
                                          .own_size = r->stat.size_bytes,
                                          .contents = r->contents};
}

/* The directory above has this one and all that is in it. */
static void join(struct finding *f, struct record *above, const struct record *r, struct olv_verdict v)
{
    pthread_mutex_lock(lock_of(f, above));
    olv_contents_add(&above->contents, &r->stat);
    olv_contents_merge(&above->contents, &r->contents);
    for (int clock = 0; clock < CLOCKS; clock++)
        add_time(above, (enum olv_clock)clock,
                 r->contents.entries ? r->youngest[clock] : time_of(&r->stat, clock));
    add_owner(above, r->owner);
    if (r->judged.reason == OLV_DUE)
        add_owner(above, (int)r->judged.rule);
    above->has_open |= r->has_open;
    above->is_blocked |= r->is_blocked || r->judged.reason == OLV_UNDECIDED || r->judged.is_held ||
                         r->judged.in_respite || v.reason == OLV_KEPT;
    pthread_mutex_unlock(lock_of(f, above));
}

/* ---- the walk ---- */

static void visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct finding *f = self;
    struct wholes_worker *w = &f->workers[number];
    struct record *r;
    if (entry->kind != OLV_KIND_DIRECTORY) {
        if (entry->dir->data)
            add_file(f, w, entry->dir->data, entry);
        return;
    }
    r = calloc(1, sizeof *r);
    if (!r) {
        atomic_store(&f->out_of_memory, true);
        return;
    }
    r->owner = NOBODY;
    r->judged = judge_directory(&w->judge, entry);
    if (olv_scan_look(entry))
        r->stat = entry->stat;
    else
        r->is_blocked = true;
    entry->data = r;
}

static bool enter(void *self, unsigned number, struct olv_scan_dir *dir, int dir_fd)
{
    struct finding *f = self;
    return !atomic_load(&f->out_of_memory) && judge_enter(&f->workers[number].judge, dir, dir_fd);
}

static void leave(void *self, unsigned number, struct olv_scan_dir *dir)
{
    struct finding *f = self;
    struct record *r = dir->data, *above = dir->parent ? dir->parent->data : NULL;
    struct olv_verdict v = {.reason = OLV_NOT_DUE};
    if (!r)
        return;
    r->is_blocked |= !dir->is_complete;
    if (r->judged.reason == OLV_DUE && r->stat.kind == OLV_KIND_DIRECTORY) {
        v = judge_record(f, r);
        if (v.reason != OLV_NOT_DUE)
            keep(f, &f->workers[number], r, v);
    }
    if (above)
        join(f, above, r, v);
    free(r);
}

static void on_progress(void *self, const struct olv_progress *progress)
{
    olv_observe_progress(((struct finding *)self)->observer, *progress);
}

static bool is_interrupted(void *self)
{
    struct finding *f = self;
    return atomic_load(&f->out_of_memory) || olv_observe_interrupted(f->observer);
}

/* ---- all of them ---- */

static int by_key(const void *a, const void *b)
{
    const struct whole *x = a, *y = b;
    if (x->mount != y->mount)
        return x->mount < y->mount ? -1 : 1;
    return x->inode < y->inode ? -1 : x->inode > y->inode;
}

static struct wholes *gather(struct finding *f, unsigned workers)
{
    struct wholes *wholes = calloc(1, sizeof *wholes);
    size_t total = 0;
    for (unsigned i = 0; i < workers; i++)
        total += f->workers[i].count;
    if (!wholes || !(wholes->items = malloc((total + 1) * sizeof *wholes->items))) {
        free(wholes);
        return NULL;
    }
    for (unsigned i = 0; i < workers; i++)
        for (size_t k = 0; k < f->workers[i].count; k++)
            wholes->items[wholes->count++] = f->workers[i].found[k];
    if (wholes->count)
        qsort(wholes->items, wholes->count, sizeof *wholes->items, by_key);
    return wholes;
}

struct wholes *wholes_find_all(const struct judging *judging, const struct olv_observer *observer,
                               struct olv_error *err)
{
    struct finding f = {.judging = judging, .observer = observer};
    struct olv_observer between = {&f, on_progress, NULL,
                                   is_interrupted}; /* troubles are told by the walk after it */
    struct olv_scan_visitor visitor = {.self = &f, .enter = enter, .visit = visit, .leave = leave};
    unsigned workers = olv_scan_workers();
    struct wholes *wholes = NULL;
    bool ok;
    f.workers = calloc(workers, sizeof *f.workers);
    ok = f.workers != NULL;
    for (unsigned i = 0; ok && i < workers; i++)
        ok = judge_begin(&f.workers[i].judge, judging);
    for (unsigned i = 0; i < LOCKS; i++)
        pthread_mutex_init(&f.locks[i], NULL);
    if (ok && judging->roots.root_count == 0)
        wholes = gather(&f, workers);
    else if (ok && olv_scan(judging->roots.paths, judging->roots.root_count, &visitor, &between, err))
        wholes = gather(&f, workers);
    if (!wholes && (err->code == OLV_OK || atomic_load(&f.out_of_memory)))
        olv_fail_memory(err);
    for (unsigned i = 0; f.workers && i < workers; i++) {
        judge_end(&f.workers[i].judge);
        free(f.workers[i].found);
    }
    for (unsigned i = 0; i < LOCKS; i++)
        pthread_mutex_destroy(&f.locks[i]);
    free(f.workers);
    return wholes;
}

const struct whole *wholes_find(const struct wholes *wholes, const struct olv_stat *stat)
{
    const struct whole key = {.mount = stat->mount, .inode = stat->inode};
    return wholes && wholes->count ? bsearch(&key, wholes->items, wholes->count, sizeof key, by_key) : NULL;
}

void wholes_free(struct wholes *wholes)
{
    if (!wholes)
        return;
    free(wholes->items);
    free(wholes);
}
