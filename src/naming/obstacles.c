/* SPDX-License-Identifier: Apache-2.0 */
/* What stands in the way of removing something, found before anything is removed. */
#include "naming/naming.h"

#include "file/identity.h"
#include "file/protection.h"
#include "olvido/path.h"
#include "os/os.h"
#include "scan/contents.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

void place_examine(struct naming *n, struct place *place)
{
    place->is_guarded = olv_guard_of(n->options->guard, place->path) != OLV_NO_BARRIER;
    place->special = everything_special(n, place);
    place->why_left = NULL;
    place->sys = 0;
    if (place->stat.is_immutable) {
        place->why_left = "its directory is immutable: nothing in it can be renamed or removed";
    } else if (place->stat.is_append_only) {
        place->why_left = "its directory is append-only: nothing in it can be renamed or removed";
    } else if (faccessat(place->fd, ".", W_OK | X_OK, AT_EACCESS) < 0) {
        place->sys = errno;
        place->why_left = "its directory cannot be changed";
    }
}

bool place_of_entry(struct naming *n, struct name_worker *w, const struct olv_scan_entry *entry,
                    struct olv_error *err)
{
    struct olv_text path = {0};
    if (w->serial == entry->dir->serial)
        return true;
    w->serial = 0;
    free(w->dir.path);
    olv_scan_dir_path(entry->dir, &path);
    w->dir.path = path.data;
    if (path.failed || !path.data)
        return olv_fail_memory(err);
    if (!olv_os_stat(entry->dir_fd, "", &w->dir.stat))
        return olv_fail_system(err, path.data, "cannot look at the directory");
    w->dir.fd = entry->dir_fd;
    place_examine(n, &w->dir);
    w->serial = entry->dir->serial;
    return true;
}

/* In a sticky directory a name belongs to the owner of the file or of the directory. */
static bool is_of_another(const struct naming *n, const struct place *place, const struct olv_stat *stat)
{
    return place->stat.mode & 01000 && n->own != 0 && stat->owner != n->own && place->stat.owner != n->own;
}

static enum olv_truth is_held(const struct naming *n, const char *path, const struct olv_stat *stat)
{
    const struct olv_holds *holds = n->options->holds;
    return holds ? holds->is_held(holds->self, path, stat) : OLV_NO;
}

/* What it is, in the same words as right before the act; see source/asking.c. NULL: nothing guards it. */
static const char *what_is_guarded(const struct naming *n, const struct place *place, const char *path,
                                   const struct olv_stat *stat)
{
    bool is_directory = stat->kind == OLV_KIND_DIRECTORY;
    const struct olv_guard *guard = n->options->guard;
    const char *words = NULL;
    if (olv_guard_is_own(guard, stat->device, stat->inode))
        return olv_guard_own_words;
    if (place->is_guarded || is_directory)
        words = olv_barrier_words(olv_guard_of(guard, is_directory ? path : place->path));
    if (words || !is_directory)
        return words;
    if (olv_begins_another(&place->stat, stat))
        return stat->mount != place->stat.mount ? "a mount point" : "the root of a subvolume";
    return olv_guard_landmark(guard, stat->device, stat->inode);
}

static const char *why_protected(struct naming *n, struct place *place, const char *path,
                                 const struct olv_stat *stat)
{
    struct protection_setters setters = {0};
    struct olv_protected file = olv_protected_of(path, stat, place->fd);
    struct olv_error ignored = {0}; /* then nobody knows who */
    char why[200];
    if (n->options->reg) {
        pthread_mutex_lock(&n->mutex);
        olv_register_protection(n->options->reg, &file, protection_note_setter, &setters, &ignored);
        pthread_mutex_unlock(&n->mutex);
    }
    protection_why(stat, &setters, why, sizeof why);
    olv_text_clear(&place->words);
    olv_text_puts(&place->words, why);
    return olv_text_string(&place->words);
}

const char *why_guarded(const struct naming *n, struct place *place, const char *path,
                        const struct olv_stat *stat)
{
    const char *guarded = what_is_guarded(n, place, path, stat);
    if (!guarded)
        return NULL;
    olv_text_clear(&place->words);
    olv_text_printf(&place->words, "guarded: it is %s", guarded);
    return olv_text_string(&place->words);
}

const char *why_it_stays(struct naming *n, struct place *place, const char *path, const struct olv_stat *stat,
                         int *sys)
{
    const char *guarded = why_guarded(n, place, path, stat);
    *sys = 0;
    if (guarded)
        return guarded;
    if (stat->is_immutable || stat->is_append_only)
        return why_protected(n, place, path, stat);
    if (place->why_left) {
        *sys = place->sys;
        return place->why_left;
    }
    if (is_of_another(n, place, stat))
        return "its directory is sticky, and it belongs to another user";
    switch (is_held(n, path, stat)) {
    case OLV_NO:
        return NULL;
    case OLV_YES:
        return "it is held";
    default:
        return "nobody knows whether it is held";
    }
}

/* ---- in a directory that goes whole ---- */

struct summing {
    struct naming *naming;
    const char *path;       /* of the directory */
    struct olv_text *where; /* the first place that is in the way */
};

static void remember(struct summing *s, const struct olv_scan_entry *entry)
{
    pthread_mutex_lock(&s->naming->mutex);
    if (s->where->len == 0) {
        olv_text_printf(s->where, "%s/", s->path);
        olv_scan_dir_path_below(entry->dir, s->where);
        olv_text_printf(s->where, "%s%s", entry->dir->parent ? "/" : "", entry->name);
    }
    pthread_mutex_unlock(&s->naming->mutex);
}

static const char *why_kept_inside(const struct summing *s, const struct olv_scan_entry *entry)
{
    const struct naming *n = s->naming;
    const struct olv_stat *stat = &entry->stat;
    struct olv_text path = {0};
    enum olv_truth held;
    if (olv_guard_is_own(n->options->guard, stat->device, stat->inode))
        return "one of Olvido's own places or files is in the way";
    if (entry->kind == OLV_KIND_DIRECTORY && olv_guard_landmark(n->options->guard, stat->device, stat->inode))
        return "the root, a home, the working directory, or one above it is in the way";
    if (stat->is_immutable || stat->is_append_only)
        return stat->is_immutable ? "it is immutable, and in the way" : "it is append-only, and in the way";
    if (!n->options->holds)
        return NULL;
    olv_text_printf(&path, "%s/", s->path);
    olv_scan_dir_path_below(entry->dir, &path);
    olv_text_printf(&path, "%s%s", entry->dir->parent ? "/" : "", entry->name);
    held = path.failed ? OLV_UNKNOWN : is_held(n, path.data, stat);
    olv_text_free(&path);
    return held == OLV_NO ? NULL : "it is held, and in the way";
}

static const char *obstacles_ask(void *self, const struct olv_scan_entry *entry)
{
    struct summing *s = self;
    const char *why = why_kept_inside(s, entry);
    if (why)
        remember(s, entry);
    return why;
}

bool naming_sum_up(struct naming *n, const struct place *place, const char *path, const char *name,
                   struct olv_contents *out, struct olv_text *where, struct olv_error *err)
{
    struct summing summing = {n, path, where};
    struct contents_asker asker = {&summing, n->relay.observer, obstacles_ask};
    bool ok = olv_scan_contents(place->fd, name, &asker, out, err);
    if (!ok && where->len == 0 && *err->path)
        olv_path_add(where, place->path, err->path);
    return ok;
}
