/* SPDX-License-Identifier: Apache-2.0 */
/* A mount shows a part of a file system, its root, at a mount point. Whatever also lies at or below the root
 * of another mount has a second path there; and if a mount shows only the inside of a place, everything on it
 * does. */
#include "guard/places.h"

#include "base/grow.h"
#include "olvido/path.h"
#include "olvido/text.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>

struct mount {
    uint64_t id, device;
    char *root, *point; /* owned */
};

struct mounts {
    struct mount *items;
    size_t count, cap;
    bool failed;
};

static bool aliases_collect(void *self, const struct olv_os_mount *mount)
{
    struct mounts *m = self;
    m->failed |= !grow(&m->items, m->count, &m->cap, sizeof *m->items);
    if (m->failed)
        return false;
    m->items[m->count++] =
        (struct mount){mount->id, mount->device, strdup(mount->root), strdup(mount->point)};
    m->failed |= !m->items[m->count - 1].root || !m->items[m->count - 1].point;
    return !m->failed;
}

static void aliases_add(struct olv_guard *guard, const char *top, const char *rest, bool is_own)
{
    struct olv_text path = {0};
    bool ok = grow(&guard->aliases, guard->alias_count, &guard->alias_cap, sizeof *guard->aliases);
    olv_text_puts(&path, strcmp(top, "/") != 0 || !*rest ? top : "");
    olv_text_puts(&path, rest);
    if (ok && !path.failed) {
        guard->aliases[guard->alias_count++] = (struct olv_alias){path.data, is_own};
    } else {
        olv_fail_memory(&guard->error);
        olv_text_free(&path);
    }
}

/* Finds other paths of what lies at `inside` of the file system at `own`. */
static void add_others(struct olv_guard *guard, const struct mounts *m, const struct mount *own,
                       const char *inside, bool is_own)
{
    for (size_t i = 0; i < m->count; i++) {
        const struct mount *other = &m->items[i];
        const char *rest = olv_path_behind(inside, other->root);
        if (other == own || other->device != own->device)
            continue;
        if (rest)
            aliases_add(guard, other->point, rest, is_own);
        else if (olv_path_behind(other->root, inside))
            aliases_add(guard, other->point, "", is_own);
    }
}

static const struct mount *mount_of(struct olv_guard *guard, const struct mounts *m, const char *path)
{
    struct olv_stat stat;
    if (!olv_os_stat(AT_FDCWD, path, &stat)) {
        if (errno != ENOENT)
            guard_forgets(guard, path);
        return NULL;
    }
    for (size_t i = 0; i < m->count; i++)
        if (m->items[i].id == stat.mount)
            return &m->items[i];
    return NULL;
}

/* These mount points belong to the kernel, or to removable disks, which have other places, too. */
static bool is_of_the_kernel(const char *path)
{
    return strcmp(path, "/dev") == 0 || strcmp(path, "/proc") == 0 || strcmp(path, "/sys") == 0 ||
           strcmp(path, "/run") == 0;
}

static void aliases_add_place(struct olv_guard *guard, const struct mounts *m, const char *path, bool is_own)
{
    const struct mount *own = mount_of(guard, m, path);
    const char *below = own ? olv_path_behind(path, own->point) : NULL;
    struct olv_text inside = {0};
    if (!below)
        return;
    olv_text_puts(&inside, strcmp(own->root, "/") != 0 || !*below ? own->root : "");
    olv_text_puts(&inside, below);
    if (inside.failed)
        olv_fail_memory(&guard->error);
    else
        add_others(guard, m, own, inside.data, is_own);
    olv_text_free(&inside);
    for (size_t i = 0; i < m->count; i++) { /* and what is mounted inside */
        const char *deeper = olv_path_behind(m->items[i].point, path);
        if (deeper && *deeper && !is_of_the_kernel(path))
            add_others(guard, m, &m->items[i], m->items[i].root, is_own);
    }
}

/* Whether anything on this machine can have a second path: usually nothing can. */
static bool any_shared(const struct mounts *m)
{
    for (size_t i = 0; i < m->count; i++)
        for (size_t k = 0; k < i; k++)
            if (m->items[i].device == m->items[k].device)
                return true;
    return false;
}

static void find_aliases(struct olv_guard *guard, const struct mounts *m)
{
    char *real;
    for (size_t i = 0; i < guard->own_count; i++)
        aliases_add_place(guard, m, guard->own[i].path, true);
    for (size_t i = 0; olv_guard_tops[i]; i++) {
        real = realpath(olv_guard_tops[i], NULL);
        if (real)
            aliases_add_place(guard, m, real, false);
        else if (errno != ENOENT)
            guard_forgets(guard, olv_guard_tops[i]);
        free(real);
    }
}

void olv_guard_find_aliases(struct olv_guard *guard)
{
    struct mounts m = {0};
    if (!olv_os_each_mount(aliases_collect, &m) &&
        errno != ENOSYS) /* without the system call, nothing is known */
        olv_fail_system(&guard->error, "", "cannot read what is mounted where");
    else if (m.failed)
        olv_fail_memory(&guard->error);
    else if (any_shared(&m))
        find_aliases(guard, &m);
    for (size_t i = 0; i < m.count; i++) {
        free(m.items[i].root);
        free(m.items[i].point);
    }
    free(m.items);
}
