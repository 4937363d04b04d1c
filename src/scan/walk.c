/* SPDX-License-Identifier: Apache-2.0 */
/* The workers of a walk. Each has its own stack of directories and takes the newest, so it goes depth-first;
 * when another is idle it gives away the older half. While one thread reads a huge directory, idle threads
 * get full buffers of names as pieces. A walk ends when all workers are idle and nothing is shared. */
#include "scan/accessed.h"
#include "scan/node.h"

#include "os/os.h"

#include <errno.h>
#include <pthread.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

enum { BUFFER_SIZE = 128 * 1024, MOST_WORKERS = 32, TICK_NS = 100000000 };

struct task {
    struct node *node;
    void *names; /* a filled buffer to process, owned; NULL: the whole directory */
    size_t len;
};

struct stack {
    struct task *tasks;
    size_t first, last, cap;
};

struct walk {
    const struct olv_scan_visitor *visitor;
    const struct olv_observer *observer;
    pthread_mutex_t mutex; /* guards everything down to `shared`, and the observer's trouble callback */
    pthread_cond_t changed;
    struct stack shared;
    unsigned running; /* workers that have not ended */
    unsigned workers;
    atomic_uint idle;
    atomic_bool stop, out_of_memory;
    atomic_ullong files;
    bool leaves_traces; /* root can hide that it reads a directory; somebody else only in his own */
    struct accessed accessed;
};

struct worker {
    struct walk *walk;
    unsigned number;
    pthread_t thread;
    struct stack stack;
    void *buffer;
    struct olv_text path;
};

/* ---- stacks of tasks ---- */

static bool push(struct stack *s, struct task task)
{
    if (s->last == s->cap) {
        size_t live = s->last - s->first, cap = live * 2 > 64 ? live * 2 : 64;
        struct task *tasks = malloc(cap * sizeof *tasks);
        if (!tasks)
            return false;
        if (live)
            memcpy(tasks, s->tasks + s->first, live * sizeof *tasks);
        free(s->tasks);
        s->tasks = tasks;
        s->first = 0;
        s->last = live;
        s->cap = cap;
    }
    s->tasks[s->last++] = task;
    return true;
}

static bool pop(struct stack *s, struct task *out)
{
    if (s->first == s->last)
        return false;
    *out = s->tasks[--s->last];
    return true;
}

static bool share(struct walk *walk, struct task task)
{
    bool ok;
    pthread_mutex_lock(&walk->mutex);
    ok = push(&walk->shared, task);
    pthread_cond_broadcast(&walk->changed);
    pthread_mutex_unlock(&walk->mutex);
    return ok;
}

static void give_up(struct walk *walk)
{
    atomic_store(&walk->out_of_memory, true);
    atomic_store(&walk->stop, true);
}

/* ---- one directory ---- */

static void walk_tell(struct worker *w, const struct olv_scan_dir *dir, const char *name, const char *what,
                      int sys)
{
    struct olv_trouble trouble = {.kind = OLV_TROUBLE_UNREADABLE, .what = what, .sys = sys};
    if (sys == ENOENT)
        return; /* it vanished meanwhile: nothing was missed */
    if (sys == EXDEV)
        trouble.kind = OLV_TROUBLE_OTHER_MOUNT;
    olv_text_clear(&w->path);
    olv_scan_dir_path(dir, &w->path);
    if (name)
        olv_text_printf(&w->path, "%s%s", w->path.len > 1 ? "/" : "", name);
    trouble.path = olv_text_string(&w->path);
    pthread_mutex_lock(&w->walk->mutex);
    olv_observe_trouble(w->walk->observer, trouble);
    pthread_mutex_unlock(&w->walk->mutex);
}

bool olv_scan_look(struct olv_scan_entry *entry)
{
    if (!entry->has_stat && !entry->look_error) {
        entry->has_stat = olv_os_stat(entry->dir_fd, entry->name, &entry->stat);
        entry->look_error = entry->has_stat ? 0 : errno;
    }
    return entry->has_stat;
}

static void go_through(struct worker *w, struct node *node, const void *names, size_t len)
{
    struct olv_scan_entry entry = {.dir = &node->dir, .dir_fd = node->fd};
    struct olv_os_name name;
    unsigned long long count = 0;
    size_t at = 0;
    while (olv_os_next_name(names, len, &at, &name)) {
        entry.name = name.name;
        entry.name_len = name.len;
        entry.kind = name.kind;
        entry.has_stat = false;
        entry.look_error = 0;
        entry.data = NULL;
        if (entry.kind == OLV_KIND_UNKNOWN && olv_scan_look(&entry))
            entry.kind = entry.stat.kind;
        w->walk->visitor->visit(w->walk->visitor->self, w->number, &entry);
        count++;
        if (entry.look_error)
            walk_tell(w, &node->dir, name.name, "looking at it", entry.look_error);
        if (entry.kind == OLV_KIND_DIRECTORY) {
            struct node *child = node_new(node, name.name, name.len);
            if (child)
                child->dir.data = entry.data;
            if (!child || !push(&w->stack, (struct task){.node = child}))
                give_up(w->walk);
        }
    }
    atomic_fetch_add(&w->walk->files, count);
}

/* Gives the filled buffer to an idle worker and takes a new one. */
static bool hand_over(struct worker *w, struct node *node, size_t len)
{
    void *fresh = malloc(BUFFER_SIZE);
    if (!fresh)
        return false;
    atomic_fetch_add(&node->references, 1);
    node_use_fd(node);
    if (!share(w->walk, (struct task){node, w->buffer, len}))
        give_up(w->walk);
    w->buffer = fresh;
    return true;
}

/* Gives away the older half of the stack at once, so that the other worker does not come back immediately. */
static void give_half(struct worker *w)
{
    struct walk *walk = w->walk;
    size_t half = (w->stack.last - w->stack.first) / 2;
    if (atomic_load(&walk->idle) == 0 || half == 0)
        return;
    pthread_mutex_lock(&walk->mutex);
    for (; half > 0; half--)
        if (!push(&walk->shared, w->stack.tasks[w->stack.first++]))
            give_up(walk);
    pthread_cond_broadcast(&walk->changed);
    pthread_mutex_unlock(&walk->mutex);
}

static void walk_read_all(struct worker *w, struct node *node)
{
    struct olv_os_listing listing;
    bool is_listed = olv_os_list_begin(&listing, node->fd);
    ssize_t got = is_listed ? 0 : -1;
    while (is_listed && (got = olv_os_list_read(&listing, w->buffer, BUFFER_SIZE)) > 0) {
        bool is_large = got > BUFFER_SIZE / 2;
        if (atomic_load(&w->walk->stop))
            break;
        if (!is_large || atomic_load(&w->walk->idle) == 0 || !hand_over(w, node, (size_t)got))
            go_through(w, node, w->buffer, (size_t)got);
        give_half(w);
    }
    node->dir.is_complete = got == 0;
    if (is_listed)
        olv_os_list_end(&listing);
    if (got < 0)
        walk_tell(w, &node->dir, NULL, "reading the directory", errno);
}

/* A subvolume has a device of its own, though no mount. */
static bool is_another_system(struct node *node, const struct olv_stat *stat)
{
    struct olv_stat above;
    node->device = stat->device;
    if (node->parent)
        return node->parent->device != stat->device;
    return node->above >= 0 && olv_os_stat(node->above, "", &above) && above.device != stat->device;
}

static bool may_enter(struct worker *w, struct node *node)
{
    const struct olv_scan_visitor *v = w->walk->visitor;
    struct olv_stat stat;
    if (!olv_os_stat(node->fd, "", &stat))
        walk_tell(w, &node->dir, NULL, "looking at the directory", errno);
    else if (is_another_system(node, &stat))
        walk_tell(w, &node->dir, NULL, "a subvolume begins here", EXDEV);
    else
        return !v->enter || (node->dir.fd = node->fd, v->enter(v->self, w->number, &node->dir, &stat));
    return false;
}

static bool is_too_long(const struct olv_scan_visitor *v, const struct node *node)
{
    return v->longest_path && node->dir.path_len > v->longest_path;
}

static void do_directory(struct worker *w, struct node *node)
{
    if (node_open(node) < 0) {
        walk_tell(w, &node->dir, NULL,
                  errno == EXDEV ? "another file system begins here" : "opening the directory", errno);
        return;
    }
    if (w->walk->leaves_traces && !olv_os_leaves_access_time(node->fd)) {
        pthread_mutex_lock(&w->walk->mutex);
        accessed_tell(&w->walk->accessed, node->fd, w->walk->observer);
        pthread_mutex_unlock(&w->walk->mutex);
    }
    if (may_enter(w, node)) {
        if (is_too_long(w->walk->visitor, node))
            walk_tell(w, &node->dir, NULL, "left alone, with all that is in it", ENAMETOOLONG);
        else
            walk_read_all(w, node);
    }
    node_unuse_fd(node);
}

static void do_task(struct worker *w, struct task task)
{
    if (task.names) {
        go_through(w, task.node, task.names, task.len);
        free(task.names);
        node_unuse_fd(task.node);
    } else {
        do_directory(w, task.node);
    }
    node_unref(task.node, w->walk->visitor, w->number);
}

/* ---- the workers ---- */

/* Waits for shared work and takes a fair share; false if there will be no more. */
static bool wait_for_work(struct worker *w, struct task *out)
{
    struct walk *walk = w->walk;
    struct task more;
    size_t fair;
    bool got;
    pthread_mutex_lock(&walk->mutex);
    atomic_fetch_add(&walk->idle, 1);
    while (!(got = pop(&walk->shared, out)) && atomic_load(&walk->idle) < walk->workers &&
           !atomic_load(&walk->stop))
        pthread_cond_wait(&walk->changed, &walk->mutex);
    fair = (walk->shared.last - walk->shared.first) / (walk->workers + 1);
    for (; got && fair > 0 && pop(&walk->shared, &more); fair--)
        if (!push(&w->stack, more))
            give_up(walk);
    if (got)
        atomic_fetch_sub(&walk->idle, 1);
    else
        pthread_cond_broadcast(&walk->changed);
    pthread_mutex_unlock(&walk->mutex);
    return got;
}

static void drop_tasks(struct stack *stack, const struct olv_scan_visitor *visitor, unsigned worker)
{
    struct task task;
    while (pop(stack, &task)) {
        free(task.names);
        node_unref(task.node, visitor, worker);
    }
    free(stack->tasks);
}

static void work_on(struct worker *w)
{
    struct walk *walk = w->walk;
    struct task task;
    while (pop(&w->stack, &task) || wait_for_work(w, &task)) {
        if (olv_observe_interrupted(walk->observer))
            atomic_store(&walk->stop, true);
        if (atomic_load(&walk->stop)) {
            free(task.names);
            node_unref(task.node, walk->visitor, w->number);
            break;
        }
        do_task(w, task);
        give_half(w);
    }
}

static void *walk_work(void *argument)
{
    struct worker *w = argument;
    struct walk *walk = w->walk;
    w->buffer = malloc(BUFFER_SIZE);
    if (!w->buffer)
        give_up(walk);
    work_on(w);
    drop_tasks(&w->stack, walk->visitor, w->number);
    olv_text_free(&w->path);
    free(w->buffer);
    pthread_mutex_lock(&walk->mutex);
    walk->running--;
    pthread_cond_broadcast(&walk->changed);
    pthread_mutex_unlock(&walk->mutex);
    return NULL;
}

static void wait_for_end(struct walk *walk)
{
    pthread_mutex_lock(&walk->mutex);
    while (walk->running > 0) {
        struct timespec until;
        clock_gettime(CLOCK_REALTIME, &until);
        until.tv_nsec += TICK_NS;
        until.tv_sec += until.tv_nsec / 1000000000;
        until.tv_nsec %= 1000000000;
        if (pthread_cond_timedwait(&walk->changed, &walk->mutex, &until) == 0)
            continue;
        pthread_mutex_unlock(&walk->mutex);
        olv_observe_progress(walk->observer,
                             (struct olv_progress){.doing = "looking", .files = atomic_load(&walk->files)});
        pthread_mutex_lock(&walk->mutex);
    }
    pthread_mutex_unlock(&walk->mutex);
}

unsigned olv_scan_workers(void)
{
    unsigned cpus = olv_os_cpus();
    return cpus < MOST_WORKERS ? cpus : MOST_WORKERS;
}

static bool begin_workers(struct walk *walk, struct worker *workers)
{
    pthread_mutex_lock(&walk->mutex);
    for (unsigned i = 0; i < walk->workers; i++) {
        workers[i] = (struct worker){.walk = walk, .number = i};
        if (pthread_create(&workers[i].thread, NULL, walk_work, &workers[i]) == 0)
            walk->running++;
        else
            walk->workers = i; /* fewer threads do the same work */
    }
    pthread_mutex_unlock(&walk->mutex);
    return walk->workers > 0;
}

static bool push_roots(struct walk *walk, int above, const char *const *roots, size_t count)
{
    for (size_t i = count; i-- > 0;) {
        struct node *node = node_new(NULL, roots[i], strlen(roots[i]));
        if (!node)
            return false;
        node->dir.root = (uint32_t)i;
        node->above = above;
        if (!push(&walk->shared, (struct task){.node = node})) {
            node_unref(node, walk->visitor, 0);
            return false;
        }
    }
    return true;
}

static bool scan(int above, const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
                 const struct olv_observer *observer, struct olv_error *err)
{
    struct walk walk = {.visitor = visitor,
                        .observer = observer,
                        .workers = olv_scan_workers(),
                        .leaves_traces = geteuid() != 0};
    struct worker workers[MOST_WORKERS] = {{0}};
    bool ok;
    pthread_mutex_init(&walk.mutex, NULL);
    pthread_cond_init(&walk.changed, NULL);
    ok = push_roots(&walk, above, roots, count) && begin_workers(&walk, workers);
    if (ok)
        wait_for_end(&walk);
    for (unsigned i = 0; ok && i < walk.workers; i++)
        pthread_join(workers[i].thread, NULL);
    drop_tasks(&walk.shared, visitor, 0);
    pthread_cond_destroy(&walk.changed);
    pthread_mutex_destroy(&walk.mutex);
    if (!ok || atomic_load(&walk.out_of_memory))
        return olv_fail_memory(err);
    return atomic_load(&walk.stop) ? olv_fail(err, OLV_INTERRUPTED, "interrupted while looking") : true;
}

bool olv_scan(const char *const *roots, size_t count, const struct olv_scan_visitor *visitor,
              const struct olv_observer *observer, struct olv_error *err)
{
    return scan(-1, roots, count, visitor, observer, err);
}

bool olv_scan_in(int dir, const char *name, const struct olv_scan_visitor *visitor,
                 const struct olv_observer *observer, struct olv_error *err)
{
    return scan(dir, &name, 1, visitor, observer, err);
}
