/* SPDX-License-Identifier: Apache-2.0 */
/* The attributes that a stat tells are enough for most entries. A few protected things are listed one by one,
 * and of many each directory's sums, so memory does not grow with the tree. */
#include "olvido/protected_tree.h"
#include "file/identity.h"
#include "olvido/path.h"
#include "os/os.h"
#include "scan/scan.h"

#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdlib.h>
#include <string.h>

/* What is known of a directory until all of it was seen. */
struct sums {
    atomic_ulong frozen, append_only, readonly, entries;
};

struct looking {
    struct olv_protected_tree *tree;
    struct olv_register *reg;
    bool lists_all;
    struct scan_relay relay;
    pthread_mutex_t mutex; /* the register's */
    atomic_ulong listed, entries, frozen, append_only, readonly;
    struct look_worker {
        struct olv_text record, path;
    } * workers;
};

/* A record: the path with its NUL, then the line. */
static bool add(struct looking *l, struct look_worker *w, const char *path,
                const struct olv_protected_line *line, bool is_sum)
{
    struct olv_error err = {0};
    olv_text_clear(&w->record);
    olv_text_add(&w->record, path, strlen(path) + 1);
    olv_text_add(&w->record, line, sizeof *line);
    if (w->record.failed)
        olv_fail_memory(&err);
    else if (olv_sorter_add(l->tree->list, (struct olv_sorted){{is_sum, 0}, w->record.data, w->record.len},
                            &err))
        return true;
    scan_relay_fail(&l->relay, &err);
    return false;
}

/* ---- one entry ---- */

static void note_level(void *self, const struct olv_protected *row)
{
    unsigned *levels = self;
    *levels |= row->level;
}

/* A mode says nothing of who took the permissions away: it counts if Olvido did. */
static unsigned known_levels(struct looking *l, const struct olv_protected *file)
{
    struct olv_error err = {0};
    unsigned levels = 0;
    pthread_mutex_lock(&l->mutex);
    if (olv_register_protection(l->reg, file, note_level, &levels, &err) == OLV_UNKNOWN)
        scan_relay_fail(&l->relay, &err);
    pthread_mutex_unlock(&l->mutex);
    return levels;
}

static void count(atomic_ulong *frozen, atomic_ulong *append_only, atomic_ulong *readonly, unsigned levels)
{
    if (levels & OLV_FROZEN)
        atomic_fetch_add(frozen, 1);
    if (levels & OLV_APPEND_ONLY)
        atomic_fetch_add(append_only, 1);
    if (levels & OLV_READONLY)
        atomic_fetch_add(readonly, 1);
}

/* `dir`: a descriptor on its file system. */
static unsigned look_at(struct looking *l, struct look_worker *w, int dir, const struct olv_stat *stat)
{
    struct olv_protected_line line = {.levels = olv_protection_of(stat), .stat = *stat};
    const char *path = olv_text_string(&w->path);
    struct olv_protected file = olv_protected_of(path, stat, dir);
    if (line.levels & OLV_READONLY && (!l->reg || !(known_levels(l, &file) & OLV_READONLY)))
        line.levels &= ~(unsigned)OLV_READONLY;
    if (!line.levels)
        return 0;
    count(&l->frozen, &l->append_only, &l->readonly, line.levels);
    if (l->lists_all || atomic_fetch_add(&l->listed, 1) < OLV_PROTECTED_SHOWN) {
        memcpy(line.uuid, file.uuid, sizeof line.uuid);
        add(l, w, path, &line, false);
    }
    return line.levels;
}

/* ---- the walk ---- */

static void visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct looking *l = self;
    struct look_worker *w = &l->workers[number];
    struct sums *sums = entry->dir->data;
    unsigned levels;
    if (!olv_scan_look(entry))
        return;
    if (entry->kind == OLV_KIND_DIRECTORY && !(entry->data = calloc(1, sizeof(struct sums)))) {
        struct olv_error err = {0};
        olv_fail_memory(&err);
        scan_relay_fail(&l->relay, &err);
    }
    if (sums)
        atomic_fetch_add_explicit(&sums->entries, 1, memory_order_relaxed);
    if (!olv_protection_of(&entry->stat))
        return;
    olv_text_clear(&w->path);
    olv_scan_dir_path(entry->dir, &w->path);
    olv_text_puts(&w->path, w->path.len > 1 ? "/" : "");
    olv_text_add(&w->path, entry->name, entry->name_len);
    levels = look_at(l, w, entry->dir_fd, &entry->stat);
    if (sums)
        count(&sums->frozen, &sums->append_only, &sums->readonly, levels);
}

static bool enter(void *self, unsigned number, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct looking *l = self;
    (void)number;
    (void)stat;
    if (!dir->data && !dir->parent)
        dir->data = calloc(1, sizeof(struct sums));
    return !atomic_load(&l->relay.has_failed);
}

static void leave(void *self, unsigned number, struct olv_scan_dir *dir)
{
    struct looking *l = self;
    struct look_worker *w = &l->workers[number];
    struct sums *sums = dir->data;
    struct olv_protected_line line = {0};
    if (!sums)
        return;
    line.frozen = atomic_load(&sums->frozen);
    line.append_only = atomic_load(&sums->append_only);
    line.readonly = atomic_load(&sums->readonly);
    line.entries = atomic_load(&sums->entries);
    atomic_fetch_add(&l->entries, line.entries);
    free(sums);
    if (l->lists_all || !(line.frozen + line.append_only + line.readonly))
        return;
    olv_text_clear(&w->path);
    olv_scan_dir_path(dir, &w->path);
    add(l, w, olv_text_string(&w->path), &line, true);
}

/* ---- all of it ---- */

/* A path itself; directories are then walked. */
static bool look_at_path(struct looking *l, const char *path, struct olv_error *err)
{
    struct look_worker *w = &l->workers[0];
    char *above = olv_path_directory(path);
    int fd = above ? olv_os_open_path(above) : -1;
    struct olv_stat stat;
    bool is_directory = false;
    olv_text_clear(&w->path);
    olv_text_puts(&w->path, path);
    if (!above) {
        olv_fail_memory(err);
    } else if (fd < 0 || !olv_os_stat(fd, path[1] ? olv_path_name(path) : "", &stat)) {
        olv_observe_unreadable(l->relay.observer, path, "looking for it", errno);
        l->relay.unreadable++;
    } else {
        look_at(l, w, fd, &stat);
        atomic_fetch_add(&l->entries, 1);
        is_directory = stat.kind == OLV_KIND_DIRECTORY;
    }
    olv_os_close(fd);
    free(above);
    return is_directory;
}

static bool look_at_all(struct looking *l, const char *const *paths, size_t count, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {.self = l, .enter = enter, .visit = visit, .leave = leave};
    const char **roots = calloc(count + 1, sizeof *roots);
    size_t root_count = 0;
    bool ok = roots || olv_fail_memory(err);
    for (size_t i = 0; ok && i < count; i++) {
        if (look_at_path(l, paths[i], err))
            roots[root_count++] = paths[i];
        ok = err->code == OLV_OK;
    }
    ok = ok && scan_relayed(roots, root_count, &visitor, &l->relay, err);
    free(roots);
    return ok;
}

bool olv_protected_tree_look(struct olv_protected_tree *tree, const char *const *paths, size_t count,
                             struct olv_register *reg, bool lists_all, const struct olv_observer *observer,
                             struct olv_error *err)
{
    struct looking l = {.tree = tree, .reg = reg, .lists_all = lists_all, .relay = {.observer = observer}};
    bool ok;
    *tree = (struct olv_protected_tree){.list = olv_sorter_new(err)};
    l.workers = calloc(olv_scan_workers(), sizeof *l.workers);
    if (!tree->list || !l.workers) {
        free(l.workers);
        return err->code != OLV_OK ? false : olv_fail_memory(err);
    }
    pthread_mutex_init(&l.mutex, NULL);
    ok = look_at_all(&l, paths, count, err);
    pthread_mutex_destroy(&l.mutex);
    for (unsigned i = 0; i < olv_scan_workers(); i++) {
        olv_text_free(&l.workers[i].record);
        olv_text_free(&l.workers[i].path);
    }
    free(l.workers);
    tree->entries = atomic_load(&l.entries);
    tree->frozen = atomic_load(&l.frozen);
    tree->append_only = atomic_load(&l.append_only);
    tree->readonly = atomic_load(&l.readonly);
    tree->troubles = l.relay.unreadable;
    tree->is_summed = atomic_load(&l.listed) > OLV_PROTECTED_SHOWN;
    return ok;
}

bool olv_protected_line(const struct olv_protected_tree *tree, const struct olv_sorted *record,
                        struct olv_protected_line *out)
{
    const char *path = record->bytes;
    memcpy(out, path + strlen(path) + 1, sizeof *out);
    out->path = path;
    return (record->key.s != 0) == tree->is_summed;
}

void olv_protected_tree_free(struct olv_protected_tree *tree)
{
    olv_sorter_free(tree->list);
    tree->list = NULL;
}

/* ---- above ---- */

static bool is_end(const struct olv_guard *guard, const char *path, const struct olv_stat *above,
                   const struct olv_stat *stat)
{
    return olv_begins_another(above, stat) || olv_guard_of(guard, path) != OLV_NO_BARRIER ||
           olv_guard_is_own(guard, stat->device, stat->inode) ||
           olv_guard_landmark(guard, stat->device, stat->inode);
}

void olv_protection_above(const struct olv_guard *guard, const char *path,
                          void (*each)(void *self, const char *directory), void *self)
{
    char *directory = olv_path_directory(path), *above = NULL;
    struct olv_stat stat, around;
    while (directory && directory[1] && (above = olv_path_directory(directory)) &&
           olv_os_stat_path(directory, &stat) && olv_os_stat_path(above, &around) &&
           !is_end(guard, directory, &around, &stat)) {
        if (!stat.is_immutable && !stat.is_append_only && !around.is_immutable && !around.is_append_only)
            each(self, directory);
        free(directory);
        directory = above;
        above = NULL;
    }
    free(directory);
    free(above);
}
