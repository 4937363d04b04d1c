/* SPDX-License-Identifier: Apache-2.0 */
/* A separate walk: sums up a directory's contents while walking, judges it after its last entry, and adds its
 * sum to the directory above. So only directories in progress, and those with a verdict, are in memory. */
#include "judge/whole.h"
#include "base/grow.h"
#include "judge/tally.h"

#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { LOCKS = 64 };

/* The one path that is asked about, and the result. */
struct target {
    uint32_t root;
    const char *path;
    size_t
        top; /* length of the part that names the outermost directory below the root: that one is summed up */
    struct whole_view *view;
    pthread_mutex_t mutex;
};

struct wholes_worker {
    struct judge judge;
    struct whole *found;
    size_t count, cap;
    struct olv_tally *owned; /* per rule */
};

struct finding {
    const struct judging *judging;
    struct scan_relay relay; /* silent: the walk after this one reports the troubles */
    struct wholes_worker *workers;
    unsigned worker_count;
    struct target *target;        /* NULL: all are asked about */
    pthread_mutex_t locks[LOCKS]; /* a summary's lock is chosen by its address */
};

struct wholes {
    struct whole *items; /* sorted */
    size_t count;
    struct olv_tally *owned; /* per rule */
};

static pthread_mutex_t *lock_of(struct finding *f, const struct summary *r)
{
    return &f->locks[((uintptr_t)r / sizeof *r) % LOCKS];
}

/* ---- what comes of one ---- */

static void whole_keep(struct finding *f, struct wholes_worker *w, const struct summary *r,
                       struct olv_verdict v)
{
    if (!grow(&w->found, w->count, &w->cap, sizeof *w->found)) {
        scan_relay_fail(&f->relay, NULL);
        return;
    }
    w->found[w->count++] = (struct whole){.mount = r->stat.mount,
                                          .inode = r->stat.inode,
                                          .reason = v.reason,
                                          .rule = v.rule,
                                          .step = v.step,
                                          .start = v.start,
                                          .contents = r->contents};
}

/* Whether `path` lies in `directory`. */
static bool is_around(const char *path, const char *directory)
{
    size_t n = strlen(directory);
    return strncmp(path, directory, n) == 0 && path[n] == '/';
}

static void look_at_target(struct finding *f, const struct olv_scan_dir *dir, const struct summary *r,
                           struct olv_verdict v)
{
    struct olv_text path = {0};
    const struct olv_rule *rule = &f->judging->policy->rules[v.rule];
    olv_scan_dir_path(dir, &path);
    pthread_mutex_lock(&f->target->mutex);
    if (strcmp(olv_text_string(&path), f->target->path) == 0) {
        f->target->view->is_directory = true;
        f->target->view->summary = *r;
        f->target->view->verdict = v;
    } else if (is_around(f->target->path, olv_text_string(&path)) && v.reason == OLV_DUE &&
               rule->steps[v.step].act->traits & OLV_TOUCHES &&
               !(rule->steps[v.step].act->traits & OLV_EMPTY_ONLY)) {
        f->target->view->goes = v; /* one further out, which comes later, replaces it */
        olv_text_clear(&f->target->view->goes_with);
        olv_text_puts(&f->target->view->goes_with, olv_text_string(&path));
    }
    pthread_mutex_unlock(&f->target->mutex);
    olv_text_free(&path);
}

/* ---- the walk ---- */

static void add_file(struct finding *f, struct judge *judge, struct summary *r, struct olv_scan_entry *entry)
{
    struct olv_verdict v = judge_file(judge, entry);
    bool is_known = olv_scan_look(entry);
    struct judged_entry judged = is_known ? judge_entry(judge, entry) : (struct judged_entry){0};
    pthread_mutex_lock(lock_of(f, r));
    summary_add(r, v, judged, is_known ? &entry->stat : NULL);
    pthread_mutex_unlock(lock_of(f, r));
}

static void whole_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct finding *f = self;
    struct judge *judge = &f->workers[number].judge;
    if (entry->kind != OLV_KIND_DIRECTORY) {
        if (entry->dir->data)
            add_file(f, judge, entry->dir->data, entry);
        return;
    }
    entry->data = summary_new(judge_directory(judge, entry), olv_scan_look(entry) ? &entry->stat : NULL);
    if (!entry->data)
        scan_relay_fail(&f->relay, NULL);
}

/* Whether the walk must go there for the path that is asked about. */
static bool leads_to(const struct target *target, const struct olv_scan_dir *dir)
{
    struct olv_text path = {0};
    bool leads;
    olv_scan_dir_path(dir, &path);
    leads =
        dir->root == target->root &&
        (dir->depth == 0 || (path.len >= target->top && memcmp(path.data, target->path, target->top) == 0 &&
                             (path.data[target->top] == '\0' || path.data[target->top] == '/')));
    olv_text_free(&path);
    return leads;
}

static bool whole_enter(void *self, unsigned number, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct finding *f = self;
    return !atomic_load(&f->relay.has_failed) && (!f->target || leads_to(f->target, dir)) &&
           judge_enter(&f->workers[number].judge, dir, stat);
}

/* Whether a directory around it belongs to the same rule: that one has counted what is in it. */
static bool is_within_its_own(const struct olv_scan_dir *dir, uint32_t rule)
{
    for (dir = dir->parent; dir; dir = dir->parent) {
        const struct summary *r = dir->data;
        if (r && r->judged.reason == OLV_DUE && r->judged.rule == rule)
            return true;
    }
    return false;
}

static void whole_leave(void *self, unsigned number, struct olv_scan_dir *dir)
{
    struct finding *f = self;
    struct summary *r = dir->data, *above = dir->parent ? dir->parent->data : NULL;
    struct olv_verdict v = {.reason = OLV_NOT_DUE};
    if (!r)
        return;
    r->is_blocked |= !dir->is_complete;
    if (r->contents.entries == 0 && dir->is_complete && r->stat.kind == OLV_KIND_DIRECTORY)
        judging_before_emptied(f->judging, dir, &r->stat);
    if (r->judged.reason == OLV_DUE && r->stat.kind == OLV_KIND_DIRECTORY) {
        if (!is_within_its_own(dir, r->judged.rule))
            tally_count_whole(&f->workers[number].owned[r->judged.rule], &r->stat, &r->contents);
        v = summary_judge(f->judging, r, dir);
        if (v.reason != OLV_NOT_DUE && !f->target)
            whole_keep(f, &f->workers[number], r, v);
    }
    if (f->target)
        look_at_target(f, dir, r, v);
    if (above) {
        pthread_mutex_lock(lock_of(f, above));
        summary_join(f->judging, above, r, v);
        pthread_mutex_unlock(lock_of(f, above));
    }
    free(r);
}

/* ---- all of them ---- */

static int by_key(const void *a, const void *b)
{
    const struct whole *x = a, *y = b;
    if (x->mount != y->mount)
        return x->mount < y->mount ? -1 : 1;
    return x->inode < y->inode ? -1 : x->inode > y->inode;
}

static struct wholes *wholes_of(struct finding *f)
{
    struct wholes *wholes = calloc(1, sizeof *wholes);
    size_t total = 0;
    for (unsigned i = 0; i < f->worker_count; i++)
        total += f->workers[i].count;
    if (!wholes || !(wholes->items = malloc((total + 1) * sizeof *wholes->items))) {
        free(wholes);
        return NULL;
    }
    for (unsigned i = 0; i < f->worker_count; i++)
        for (size_t k = 0; k < f->workers[i].count; k++)
            wholes->items[wholes->count++] = f->workers[i].found[k];
    wholes->owned = f->workers[0].owned;
    f->workers[0].owned = NULL;
    for (unsigned i = 1; i < f->worker_count; i++)
        for (size_t rule = 0; rule < f->judging->policy->rule_count; rule++)
            tally_add(&wholes->owned[rule], &f->workers[i].owned[rule]);
    if (wholes->count)
        qsort(wholes->items, wholes->count, sizeof *wholes->items, by_key);
    return wholes;
}

static bool whole_walk(struct finding *f, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {
        .self = f, .enter = whole_enter, .visit = whole_visit, .leave = whole_leave};
    const struct roots *roots = &f->judging->roots;
    return scan_relayed(roots->paths, roots->root_count, &visitor, &f->relay, err);
}

static bool whole_begin(struct finding *f, struct olv_error *err)
{
    for (unsigned i = 0; i < LOCKS; i++)
        pthread_mutex_init(&f->locks[i], NULL);
    f->worker_count = olv_scan_workers();
    f->workers = calloc(f->worker_count, sizeof *f->workers);
    for (unsigned i = 0; f->workers && i < f->worker_count; i++)
        if (!judge_begin(&f->workers[i].judge, f->judging) ||
            !(f->workers[i].owned = calloc(f->judging->policy->rule_count + 1, sizeof(struct olv_tally))))
            return olv_fail_memory(err);
    return f->workers || olv_fail_memory(err);
}

static void whole_end(struct finding *f)
{
    for (unsigned i = 0; f->workers && i < f->worker_count; i++) {
        judge_end(&f->workers[i].judge);
        free(f->workers[i].found);
        free(f->workers[i].owned);
    }
    for (unsigned i = 0; i < LOCKS; i++)
        pthread_mutex_destroy(&f->locks[i]);
    free(f->workers);
}

struct wholes *wholes_find_all(const struct judging *judging, const struct olv_observer *observer,
                               struct olv_error *err)
{
    struct finding f = {.judging = judging, .relay = {.observer = observer, .is_silent = true}};
    struct wholes *wholes = NULL;
    if (whole_begin(&f, err) && whole_walk(&f, err) && !(wholes = wholes_of(&f)))
        olv_fail_memory(err);
    whole_end(&f);
    return wholes;
}

bool wholes_look(const struct judging *judging, uint32_t root, const char *path, struct whole_view *out,
                 const struct olv_observer *observer, struct olv_error *err)
{
    const char *root_path = judging->roots.paths[root];
    size_t root_len = strlen(root_path) > 1 ? strlen(root_path) : 0;
    struct target target = {.root = root, .path = path, .view = out};
    struct finding f = {
        .judging = judging, .relay = {.observer = observer, .is_silent = true}, .target = &target};
    bool ok;
    *out = (struct whole_view){.verdict = {.reason = OLV_NOT_OWNED}};
    target.top = root_len + 1 + strcspn(path + root_len + 1, "/");
    pthread_mutex_init(&target.mutex, NULL);
    ok = whole_begin(&f, err) && whole_walk(&f, err);
    whole_end(&f);
    pthread_mutex_destroy(&target.mutex);
    return ok;
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
    free(wholes->owned);
    free(wholes);
}

const struct olv_tally *wholes_owned(const struct wholes *wholes, uint32_t rule)
{
    return &wholes->owned[rule];
}
