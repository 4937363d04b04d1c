/* SPDX-License-Identifier: Apache-2.0 */
/* Everything in trees, entry by entry. A directory comes after what is in it, and goes only if it is empty
 * then; one that holds something in the way stays by that. */
#include "naming/naming.h"

#include "file/identity.h"
#include "olvido/path.h"
#include "olvido/protection.h"
#include "os/os.h"
#include "scan/subject.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

static const struct olv_subject_facts facts = {.look = scan_subject_look,
                                               .path = scan_subject_path,
                                               .is_open = scan_subject_is_open,
                                               .is_empty = scan_subject_is_empty};

static bool is_where(struct naming *n, struct name_worker *w, struct olv_scan_entry *entry)
{
    struct scan_subject subject;
    if (!n->options->where)
        return true;
    scan_subject_begin(&subject, entry, &w->path, &facts);
    subject.subject.depth = entry->dir->depth + 1;
    return olv_expr_test(n->options->where, n->ages, &subject.subject, w->scratch) == OLV_YES;
}

/* ---- where what is taken is removed ---- */

/* What is known of a directory until all that is in it was seen. */
struct passing {
    atomic_bool keeps; /* something in it, or below it, stays */
    atomic_bool loses; /* something in it goes */
    bool is_where;     /* it may go itself */
    struct olv_stat stat, above;
};

/* A directory that stays is not entered. */
static struct passing staying;

static void keep_around(const struct olv_scan_dir *dir)
{
    struct passing *p = dir->data;
    if (p)
        atomic_store(&p->keeps, true);
}

static void lose_from(const struct olv_scan_dir *dir)
{
    struct passing *p = dir->data;
    if (p)
        atomic_store(&p->loses, true);
}

/* A statement about files says nothing of directories: one that is emptied goes. */
static bool is_about_directories(const struct naming *n)
{
    return !n->options->where || olv_expr_names_kind(n->options->where);
}

static bool is_left(struct naming *n, struct name_worker *w, const struct olv_scan_entry *entry)
{
    const char *why;
    int sys = 0;
    olv_text_clear(&w->path);
    olv_path_add(&w->path, w->dir.path, entry->name);
    why = w->path.failed ? "out of memory" : why_it_stays(n, &w->dir, w->path.data, &entry->stat, &sys);
    if (why)
        naming_left(n, olv_text_string(&w->path), why, sys);
    return why;
}

static bool pass(struct name_worker *w, struct olv_scan_entry *entry, bool where, struct olv_error *err)
{
    struct passing *p = allocate(sizeof *p, err);
    entry->data = p;
    if (!p)
        return false;
    p->is_where = where;
    p->stat = entry->stat;
    p->above = w->dir.stat;
    return true;
}

static bool tree_add(struct naming *n, struct name_worker *w, const char *name, const struct olv_stat *stat,
                     struct olv_error *err)
{
    struct found found = found_of(n, &w->dir.stat, stat);
    return naming_add(n, &w->record, w->dir.path, name, "", &found, err);
}

static bool remove_entry(struct naming *n, struct name_worker *w, struct olv_scan_entry *entry,
                         struct olv_error *err)
{
    bool is_directory = entry->kind == OLV_KIND_DIRECTORY,
         where = (is_directory && !is_about_directories(n)) || is_where(n, w, entry);
    bool is_taken = (where || is_directory) && olv_scan_look(entry);
    if (is_taken && !place_of_entry(n, w, entry, err))
        return false;
    if (is_taken && is_left(n, w, entry)) {
        is_taken = false;
        entry->data = &staying;
    }
    if (!is_taken || !where)
        keep_around(entry->dir);
    if (!is_taken)
        return true;
    if (is_directory)
        return pass(w, entry, where, err);
    lose_from(entry->dir);
    return tree_add(n, w, entry->name, &entry->stat, err);
}

/* It goes if nothing in it stays. */
static bool leave_passing(struct naming *n, struct name_worker *w, const struct olv_scan_dir *dir,
                          const struct passing *p, struct olv_error *err)
{
    struct olv_text path = {0};
    struct found found = found_of(n, &p->above, &p->stat);
    bool ok;
    olv_scan_dir_path(dir->parent, &path);
    ok = path.failed ? olv_fail_memory(err)
                     : naming_add(n, &w->record, olv_text_string(&path), dir->name, "", &found, err);
    olv_text_free(&path);
    return ok;
}

static void tree_leave(void *self, unsigned number, struct olv_scan_dir *dir)
{
    struct naming *n = self;
    struct passing *p = dir->data;
    struct olv_error err = {0};
    bool keeps;
    if (!p || p == &staying)
        return;
    keeps =
        atomic_load(&p->keeps) || !dir->is_complete || (!is_about_directories(n) && !atomic_load(&p->loses));
    if (!dir->parent)
        n->keeps_root[dir->root] = keeps;
    else if (keeps || !p->is_where)
        keep_around(dir->parent);
    else if (!leave_passing(n, &n->workers[number], dir, p, &err))
        scan_relay_fail(&n->relay, &err);
    else
        lose_from(dir->parent);
    free(p);
}

/* ---- where it stays ---- */

static void is_there(void *self, const struct olv_protected *row)
{
    (void)row;
    *(bool *)self = true;
}

/* A mode alone says nothing of who took the write permissions away. */
static bool is_protected(struct naming *n, const struct olv_scan_entry *entry, const char *path,
                         struct olv_error *err)
{
    const struct olv_stat *stat = &entry->stat;
    struct olv_protected file;
    unsigned levels = olv_protection_of(stat);
    bool is_known = false;
    if (levels != OLV_READONLY || !n->options->reg)
        return levels & ~(unsigned)OLV_READONLY;
    file = olv_protected_of(path, stat, entry->dir_fd);
    pthread_mutex_lock(&n->mutex);
    olv_register_protection(n->options->reg, &file, is_there, &is_known, err);
    pthread_mutex_unlock(&n->mutex);
    return is_known;
}

static bool mark_entry(struct naming *n, struct name_worker *w, const struct olv_scan_entry *entry,
                       struct olv_error *err)
{
    const char *why;
    olv_text_clear(&w->path);
    olv_path_add(&w->path, w->dir.path, entry->name);
    if (w->path.failed)
        return olv_fail_memory(err);
    if (n->options->is_lifted && !is_protected(n, entry, w->path.data, err))
        return err->code == OLV_OK;
    why = why_guarded(n, &w->dir, w->path.data, &entry->stat);
    if (!why)
        return tree_add(n, w, entry->name, &entry->stat, err);
    naming_left(n, w->path.data, why, 0);
    return true;
}

static bool keep_entry(struct naming *n, struct name_worker *w, struct olv_scan_entry *entry,
                       struct olv_error *err)
{
    if ((n->options->takes && !n->options->takes(entry->name)) || !is_where(n, w, entry) ||
        !olv_scan_look(entry))
        return true;
    if (!place_of_entry(n, w, entry, err))
        return false;
    if (n->options->is_marked)
        return mark_entry(n, w, entry, err);
    if (!w->dir.is_guarded && !olv_guard_is_own(n->options->guard, entry->stat.device, entry->stat.inode))
        return tree_add(n, w, entry->name, &entry->stat, err);
    atomic_fetch_add(&n->guarded, 1);
    return true;
}

/* ---- the walk ---- */

static void tree_visit(void *self, unsigned number, struct olv_scan_entry *entry)
{
    struct naming *n = self;
    struct name_worker *w = &n->workers[number];
    struct olv_error err = {0};
    if (n->options->kinds & 1u << entry->kind &&
        !(n->options->is_removed ? remove_entry(n, w, entry, &err) : keep_entry(n, w, entry, &err)))
        scan_relay_fail(&n->relay, &err);
}

static bool tree_enter(void *self, unsigned worker, struct olv_scan_dir *dir, const struct olv_stat *stat)
{
    struct naming *n = self;
    struct olv_error err = {0};
    (void)worker;
    if (atomic_load(&n->relay.has_failed) || dir->data == &staying ||
        olv_guard_is_own(n->options->guard, stat->device, stat->inode))
        return false;
    if (n->options->is_removed && !dir->parent && !(dir->data = allocate(sizeof(struct passing), &err)))
        scan_relay_fail(&n->relay, &err);
    return true;
}

/* The named directories themselves, if nothing in them stays. */
static bool take_root(struct naming *n, const char *path, struct olv_error *err)
{
    char *above = olv_path_directory(path);
    int fd = above ? olv_os_open_path(above) : -1;
    struct olv_stat dir, stat;
    bool ok = above || olv_fail_memory(err);
    if (ok && (fd < 0 || !olv_os_stat(fd, "", &dir) || !olv_os_stat(fd, olv_path_name(path), &stat))) {
        naming_trouble(n, path, "looking for it", errno);
    } else if (ok) {
        struct found found = found_of(n, &dir, &stat);
        ok = naming_add(n, &n->workers[0].record, above, olv_path_name(path), "", &found, err);
    }
    olv_os_close(fd);
    free(above);
    return ok;
}

bool trees_take(struct naming *n, struct olv_error *err)
{
    struct olv_scan_visitor visitor = {.self = n,
                                       .enter = tree_enter,
                                       .visit = tree_visit,
                                       .leave = tree_leave,
                                       .longest_path = OLV_LONGEST_DIRECTORY};
    bool ok;
    n->keeps_root = malloc((n->trees.count + 1) * sizeof *n->keeps_root);
    for (size_t i = 0; n->keeps_root && i < n->trees.count; i++)
        n->keeps_root[i] = true; /* until it was seen to its end */
    ok = n->keeps_root
             ? scan_relayed((const char *const *)n->trees.items, n->trees.count, &visitor, &n->relay, err)
             : olv_fail_memory(err);
    n->out->troubles += n->relay.unreadable;
    for (size_t i = 0; ok && n->options->is_removed && i < n->trees.count; i++)
        ok = n->keeps_root[i] || take_root(n, n->trees.items[i], err);
    free(n->keeps_root);
    return ok;
}
