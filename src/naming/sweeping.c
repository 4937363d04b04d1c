/* SPDX-License-Identifier: Apache-2.0 */
/* Empty directories, from the bottom up: one goes if there is nothing in it but directories that go. What
 * stands in the way of the others is told with its first few names. */
#include "naming/naming.h"

#include "file/identity.h"
#include "file/remaking.h"
#include "olvido/path.h"
#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

enum { FEW = 3 };

/* What is known of a directory until all that is in it was seen. */
struct swept {
    atomic_bool keeps; /* something in it stays */
    struct olv_stat stat;
    struct inside *inside; /* from when it is entered: many wait for that in one directory */
};

struct inside {
    struct olv_text state; /* what it takes to make it again */
    struct olv_text first; /* names of the first few things in the way; under the mutex */
    uint64_t in_the_way;
};

/* A directory that stays, for another reason, is not entered. */
static struct swept staying;

static void swept_free(struct swept *s)
{
    if (s->inside) {
        olv_text_free(&s->inside->state);
        olv_text_free(&s->inside->first);
    }
    free(s->inside);
    free(s);
}

static void keep_around(const struct olv_scan_dir *dir)
{
    struct swept *s = dir->data;
    atomic_store(&s->keeps, true);
}

static void note_in_the_way(struct naming *n, const struct olv_scan_entry *entry)
{
    struct swept *s = entry->dir->data;
    struct inside *in = s->inside;
    pthread_mutex_lock(&n->mutex);
    if (in->in_the_way++ < FEW)
        olv_text_printf(&in->first, "%s%s", in->first.len ? ", " : "", entry->name);
    pthread_mutex_unlock(&n->mutex);
    keep_around(entry->dir);
}

static bool examine_directory(struct naming *n, struct name_worker *w, struct olv_scan_entry *entry,
                              struct olv_error *err)
{
    const char *why;
    int sys = 0;
    if (!place_of_entry(n, w, entry, err))
        return false;
    olv_text_clear(&w->path);
    olv_path_add(&w->path, w->dir.path, entry->name);
    if (w->path.failed)
        return olv_fail_memory(err);
    why = why_it_stays(n, &w->dir, w->path.data, &entry->stat, &sys);
    if (!why)
        return true;
    naming_left(n, w->path.data, why, sys);
    keep_around(entry->dir);
    entry->data = &staying;
    return true;
}

static bool pass(struct olv_scan_entry *entry, struct olv_error *err)
{
    struct swept *s = allocate(sizeof *s, err);
    if (!s)
        return false;
    s->stat = entry->stat;
    entry->data = s;
    return true;
}

static void sweeping_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct naming *n = self;
    struct olv_error err = {0};
    if (!entry->dir->data || entry->dir->data == &staying)
        return;
    if (entry->kind != OLV_KIND_DIRECTORY || !olv_scan_look(entry))
        note_in_the_way(n, entry);
    else if (!examine_directory(n, &n->workers[number], entry, &err) || (!entry->data && !pass(entry, &err)))
        scan_relay_fail(&n->relay, &err);
}

static bool begin_inside(struct swept *s, int fd, const struct olv_stat *stat, struct olv_error *err)
{
    s->inside = allocate(sizeof *s->inside, err);
    return s->inside && remaking_note(fd, stat, &s->inside->state, err);
}

static bool begin_root(struct olv_scan_dir *dir, const struct olv_stat *stat, struct olv_error *err)
{
    struct swept *s = allocate(sizeof *s, err);
    dir->data = s;
    if (s)
        s->stat = *stat;
    return s;
}

static bool sweeping_enter(void *self, unsigned number, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct naming *n = self;
    struct olv_error err = {0};
    struct swept *s;
    (void)number;
    if (atomic_load(&n->relay.has_failed) || dir->data == &staying)
        return false;
    if (!dir->parent && !begin_root(dir, stat, &err)) {
        scan_relay_fail(&n->relay, &err);
        return false;
    }
    s = dir->data;
    if (s && !begin_inside(s, dir->fd, stat, &err)) {
        struct olv_text path = {0};
        olv_scan_dir_path(dir, &path);
        naming_left(n, olv_text_string(&path), err.what, err.sys);
        olv_text_free(&path);
        atomic_store(&s->keeps, true);
    }
    return !s || s->inside;
}

static void tell_in_the_way(struct naming *n, const char *path, const struct inside *in)
{
    struct olv_text what = {0};
    olv_text_printf(&what, "not empty: %s", olv_text_string(&in->first));
    if (in->in_the_way > FEW)
        olv_text_printf(&what, " and %llu more", (unsigned long long)in->in_the_way - FEW);
    naming_tell(n, path, olv_text_string(&what), 0);
    olv_text_free(&what);
}

/* `above`: the directory that it lies in. */
static bool sweep_away(struct naming *n, struct name_worker *w, const char *path, const struct swept *s,
                       const struct olv_stat *above, struct olv_error *err)
{
    struct found found = found_of(n, above, &s->stat);
    char *directory = olv_path_directory(path);
    bool ok = directory ? naming_add(n, &w->record, directory, olv_path_name(path),
                                     olv_text_string(&s->inside->state), &found, err)
                        : olv_fail_memory(err);
    free(directory);
    return ok;
}

/* ---- above ---- */

/* Whether there is nothing in it but this name. */
static bool holds_only(int fd, const char *name)
{
    enum { SIZE = 4096 };
    uint64_t buffer[SIZE / sizeof(uint64_t)];
    struct olv_os_listing listing;
    struct olv_os_name entry;
    bool only = olv_os_list_begin(&listing, fd);
    ssize_t got = only ? 1 : -1;
    if (!only)
        return false;
    while (only && got > 0 && (got = olv_os_list_read(&listing, buffer, SIZE)) > 0)
        for (size_t at = 0; only && olv_os_next_name(buffer, (size_t)got, &at, &entry);)
            only = strcmp(entry.name, name) == 0;
    olv_os_list_end(&listing);
    return only && got == 0;
}

/* The directory above `path`, if it becomes empty, and may go; false: it does not, or with `err`. */
static bool climb(struct naming *n, char *path, struct olv_error *err)
{
    char *name = strdup(olv_path_name(path)), *above;
    struct place place = {.fd = -1};
    struct inside in = {.in_the_way = 0};
    struct swept s = {.inside = &in};
    int fd, sys;
    bool ok = name || olv_fail_memory(err);
    olv_path_cut(path);
    above = olv_path_directory(path);
    place.path = above;
    fd = ok ? olv_os_open_path(path) : -1;
    place.fd = above ? olv_os_open_path(above) : -1;
    ok = ok && strcmp(path, "/") != 0 && fd >= 0 && place.fd >= 0 && holds_only(fd, name) &&
         olv_os_stat(fd, "", &s.stat) && olv_os_stat(place.fd, "", &place.stat);
    if (ok) {
        place_examine(n, &place);
        ok = !why_it_stays(n, &place, path, &s.stat, &sys) && remaking_note(fd, &s.stat, &in.state, err) &&
             sweep_away(n, &n->workers[0], path, &s, &place.stat, err);
    }
    olv_os_close(fd);
    olv_os_close(place.fd);
    olv_text_free(&in.state);
    olv_text_free(&place.words);
    free(above);
    free(name);
    return ok;
}

static bool take_above(struct naming *n, const char *root, struct olv_error *err)
{
    char *path = strdup(root);
    if (!path)
        return olv_fail_memory(err);
    while (climb(n, path, err))
        ;
    free(path);
    return err->code == OLV_OK;
}

/* ---- the walk ---- */

static void sweeping_leave(void *self, unsigned number, struct olv_scan_dir *dir)
{
    struct naming *n = self;
    struct swept *s = dir->data, *around = dir->parent ? dir->parent->data : NULL;
    struct olv_text path = {0};
    struct olv_error err = {0};
    struct inside *inside;
    bool keeps;
    if (!s || s == &staying)
        return;
    inside = s->inside;
    keeps = !inside || atomic_load(&s->keeps) || !dir->is_complete;
    olv_scan_dir_path(dir, &path);
    if (inside && inside->in_the_way)
        tell_in_the_way(n, olv_text_string(&path), inside);
    if (keeps && dir->parent) {
        keep_around(dir->parent);
    } else if (!keeps && !dir->parent) {
        n->keeps_root[dir->root] = false;
        n->root_states[dir->root] = inside->state;
        inside->state = (struct olv_text){0};
    } else if (!keeps &&
               (path.failed || !sweep_away(n, &n->workers[number], path.data, s, &around->stat, &err))) {
        scan_relay_fail(&n->relay, &err);
    }
    olv_text_free(&path);
    swept_free(s);
}

static bool take_root(struct naming *n, size_t root, struct olv_error *err)
{
    const char *path = n->trees.items[root];
    struct inside in = {.state = n->root_states[root]};
    struct swept s = {.inside = &in};
    struct olv_stat around;
    char *above = olv_path_directory(path);
    int fd = above ? olv_os_open_path(above) : -1;
    bool ok = above || olv_fail_memory(err);
    if (ok && (fd < 0 || !olv_os_stat(fd, "", &around) || !olv_os_stat(fd, olv_path_name(path), &s.stat)))
        naming_trouble(n, path, "looking for it", errno);
    else if (ok)
        ok = sweep_away(n, &n->workers[0], path, &s, &around, err) &&
             (!n->options->upwards || take_above(n, path, err));
    olv_os_close(fd);
    free(above);
    return ok;
}

bool sweeping_take(struct naming *n, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {.self = n,
                                       .enter = sweeping_enter,
                                       .visit = sweeping_visit,
                                       .leave = sweeping_leave,
                                       .longest_path = OLV_LONGEST_DIRECTORY};
    bool ok;
    n->keeps_root = malloc((n->trees.count + 1) * sizeof *n->keeps_root);
    n->root_states = calloc(n->trees.count + 1, sizeof *n->root_states);
    for (size_t i = 0; n->keeps_root && i < n->trees.count; i++)
        n->keeps_root[i] = true; /* until it was seen to its end */
    ok = n->keeps_root && n->root_states
             ? scan_relayed((const char *const *)n->trees.items, n->trees.count, &visitor, &n->relay, err)
             : olv_fail_memory(err);
    n->out->troubles += n->relay.unreadable;
    for (size_t i = 0; ok && i < n->trees.count; i++)
        ok = n->keeps_root[i] || take_root(n, i, err);
    for (size_t i = 0; n->root_states && i < n->trees.count; i++)
        olv_text_free(&n->root_states[i]);
    free(n->root_states);
    free(n->keeps_root);
    return ok;
}
