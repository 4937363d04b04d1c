/* SPDX-License-Identifier: Apache-2.0 */
/* Which trash is for which mount: the home trash for its own mount, and for every other the user's directory
 * in $topdir/.Trash if an administrator made that, sticky and not a link, else $topdir/.Trash-$uid. Mounts
 * are told apart by mount number, because a rename does not cross mounts even of the same file system. */
#include "trash/trash.h"

#include "base/grow.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST_TRASHES = 512 };

struct mount_trash {
    uint64_t mount;
    struct olv_trash *trash; /* NULL: none, and `error` says why */
    struct olv_error error;
};

struct olv_trashes {
    char *home;                 /* owned; NULL: none */
    struct mount_trash *mounts; /* one for each mount asked about */
    size_t count;
    struct olv_trash *open[MOST_TRASHES]; /* each once */
    size_t open_count;
    const struct olv_observer *observer;
};

struct olv_trashes *olv_trashes_new(const char *home)
{
    struct olv_trashes *t = calloc(1, sizeof *t);
    if (t && home && !(t->home = strdup(home))) {
        free(t);
        return NULL;
    }
    return t;
}

void olv_trashes_free(struct olv_trashes *t)
{
    if (!t)
        return;
    for (size_t i = 0; i < t->open_count; i++)
        olv_trash_close(t->open[i]);
    free(t->mounts);
    free(t->home);
    free(t);
}

size_t olv_trashes_count(const struct olv_trashes *t)
{
    return t->open_count;
}

struct olv_trash *olv_trashes_at(const struct olv_trashes *t, size_t i)
{
    return t->open[i];
}

/* Remembers an opened trash; returns the known one if there is one. */
static struct olv_trash *mounts_remember(struct olv_trashes *t, struct olv_trash *trash)
{
    for (size_t i = 0; trash && i < t->open_count; i++)
        if (strcmp(t->open[i]->path, trash->path) == 0) {
            olv_trash_close(trash);
            return t->open[i];
        }
    if (trash && t->open_count < MOST_TRASHES)
        t->open[t->open_count++] = trash;
    if (trash)
        trash->observer = t->observer;
    return trash;
}

/* ---- the trash of a mount ---- */

/* Opens $topdir/.Trash if it may be used: a real directory with the sticky bit. -1 with the reason in `why`,
 * or NULL there if it does not exist. */
static int open_shared(int top, const char **why)
{
    struct stat st;
    int fd;
    *why = NULL;
    if (fstatat(top, ".Trash", &st, AT_SYMLINK_NOFOLLOW) < 0)
        return -1;
    if (S_ISLNK(st.st_mode))
        *why = "it is a symbolic link, so it is not used";
    else if (!S_ISDIR(st.st_mode))
        *why = "it is not a directory, so it is not used";
    else if (!(st.st_mode & S_ISVTX))
        *why = "it has no sticky bit, so it is not used";
    if (*why)
        return -1;
    fd = openat(top, ".Trash", O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (fd < 0 || fstat(fd, &st) < 0 || !(st.st_mode & S_ISVTX)) {
        *why = "it cannot be opened";
        olv_os_close(fd);
        return -1;
    }
    return fd;
}

static struct olv_trash *open_named(int in, const char *name, const char *path, size_t top_len, bool create,
                                    struct olv_error *err)
{
    int dir = olv_private_open(in, name, create, path, "the trash", err);
    return dir < 0 ? NULL : olv_trash_open_at(dir, path, top_len, create, err);
}

static struct olv_trash *open_on_mount(int top, const char *point, bool create,
                                       const struct olv_observer *observer, struct olv_error *err)
{
    struct olv_trash *trash = NULL;
    char name[32], path[PATH_MAX];
    size_t top_len = strcmp(point, "/") ? strlen(point) : 0;
    const char *why;
    int shared = open_shared(top, &why);
    if (top_len + 64 >= sizeof path) {
        olv_fail(err, OLV_SYSTEM, "the path of the mount is too long");
    } else if (shared >= 0) {
        snprintf(name, sizeof name, "%u", (unsigned)geteuid());
        snprintf(path, sizeof path, "%.*s/.Trash/%s", (int)top_len, point, name);
        trash = open_named(shared, name, path, top_len ? top_len : 1, create, err);
    }
    if (why) {
        snprintf(path, sizeof path, "%.*s/.Trash", (int)top_len, point);
        olv_observe_unreadable(observer, path, why, 0);
    }
    if (!trash) {
        olv_error_clear(err);
        snprintf(name, sizeof name, ".Trash-%u", (unsigned)geteuid());
        snprintf(path, sizeof path, "%.*s/%s", (int)top_len, point, name);
        trash = open_named(top, name, path, top_len ? top_len : 1, create, err);
    }
    olv_os_close(shared);
    return trash;
}

/* ---- finding the one for a file ---- */

struct wanted {
    uint64_t mount;
    char point[PATH_MAX];
};

static bool is_it(void *self, const struct olv_os_mount *mount)
{
    struct wanted *w = self;
    if (mount->id == w->mount)
        snprintf(w->point, sizeof w->point, "%s", mount->point);
    return mount->id != w->mount;
}

/* Opens the top directory of a mount; -1 if it cannot be found or reached, or is covered. */
static int open_top(struct wanted *w)
{
    struct olv_stat stat;
    int top;
    olv_os_each_mount(is_it, w);
    top = *w->point ? olv_os_open_path(w->point) : -1;
    if (top < 0 || (olv_os_stat(top, "", &stat) && stat.mount == w->mount))
        return top;
    close(top);
    return -1;
}

static struct olv_trash *make_on_mount(uint64_t mount, struct olv_error *err)
{
    struct wanted *w = allocate(sizeof *w, err);
    struct olv_trash *trash = NULL;
    int top;
    if (!w)
        return NULL;
    w->mount = mount;
    top = open_top(w);
    if (top < 0) {
        olv_fail(err, OLV_SYSTEM,
                 "the top of its file system cannot be reached, so there is no trash for it");
    } else {
        trash = open_on_mount(top, w->point, true, NULL, err);
        if (!trash)
            olv_error_hint(err, "it is on another file system than the home trash, and needs a trash there");
        close(top);
    }
    free(w);
    return trash;
}

/* The mount that the home trash is or would be on; 0 if that cannot be known. */
static uint64_t mount_of_home(const char *home)
{
    char path[PATH_MAX];
    struct olv_stat stat;
    snprintf(path, sizeof path, "%s", home);
    for (char *slash = strrchr(path, '/'); slash; slash = strrchr(path, '/')) {
        *slash = '\0';
        if (olv_os_stat(AT_FDCWD, *path ? path : "/", &stat) && stat.kind == OLV_KIND_DIRECTORY)
            return stat.mount;
    }
    return 0;
}

/* The home trash if it is on that mount; created on first use. One that exists but cannot be used is no
 * reason to make another on the same mount: then NULL with `err`. */
static struct olv_trash *home_for(struct olv_trashes *t, uint64_t mount, struct olv_error *err)
{
    struct olv_trash *home = NULL;
    for (size_t i = 0; i < t->open_count; i++)
        if (olv_trash_is_home(t->open[i]))
            home = t->open[i];
    if (!home && t->home)
        home = mounts_remember(t, olv_trash_open(t->home, true, err));
    if (home)
        return home->files_stat.mount == mount && trash_is_writable(home, err) ? home : NULL;
    if (t->home && mount_of_home(t->home) != mount)
        olv_error_clear(err);
    return NULL;
}

bool olv_trash_is_possible(const char *home, uint64_t mount)
{
    struct wanted w = {.mount = mount};
    char name[32];
    const char *why;
    int top, shared;
    bool is_possible;
    if (home && mount_of_home(home) == mount)
        return true;
    if ((top = open_top(&w)) < 0)
        return false;
    snprintf(name, sizeof name, ".Trash-%u", (unsigned)geteuid());
    shared = open_shared(top, &why);
    is_possible = shared >= 0 || faccessat(top, name, W_OK | X_OK, AT_EACCESS) == 0 ||
                  faccessat(top, ".", W_OK | X_OK, AT_EACCESS) == 0;
    olv_os_close(shared);
    close(top);
    return is_possible;
}

static struct mount_trash *mounts_add(struct olv_trashes *t, uint64_t mount)
{
    if (!grow_by_one(&t->mounts, t->count, sizeof *t->mounts))
        return NULL;
    t->mounts[t->count] = (struct mount_trash){.mount = mount};
    return &t->mounts[t->count++];
}

struct olv_trash *olv_trashes_for(struct olv_trashes *t, uint64_t mount, struct olv_error *err)
{
    struct mount_trash *m = NULL;
    for (size_t i = 0; !m && i < t->count; i++)
        if (t->mounts[i].mount == mount)
            m = &t->mounts[i];
    if (!m) {
        m = mounts_add(t, mount);
        if (!m) {
            olv_fail_memory(err);
            return NULL;
        }
        m->trash = home_for(t, mount, &m->error);
        if (!m->trash && m->error.code == OLV_OK)
            m->trash = mounts_remember(t, make_on_mount(mount, &m->error));
    }
    if (!m->trash)
        *err = m->error;
    return m->trash;
}

struct olv_trash *olv_trashes_of_files(const struct olv_trashes *t, const char *files_path)
{
    for (size_t i = 0; i < t->open_count; i++)
        if (strcmp(t->open[i]->files_path, files_path) == 0)
            return t->open[i];
    return NULL;
}

bool olv_trashes_store(struct olv_trashes *t, struct olv_error *err)
{
    for (size_t i = 0; i < t->open_count; i++)
        if (!trash_sizes_store(t->open[i], err))
            return false;
    return true;
}

/* ---- finding all ---- */

struct search {
    struct olv_trashes *trashes;
    const struct olv_observer *observer;
};

static void mounts_tell(const struct olv_observer *observer, const struct olv_error *err)
{
    if (err->code != OLV_OK && err->sys != ENOENT)
        olv_observe_unreadable(observer, err->path, err->what, err->sys);
}

static void cannot_look_on(const struct search *s, const char *point)
{
    struct olv_error err = {0};
    olv_fail_system(&err, point, "cannot look for a trash on it");
    mounts_tell(s->observer, &err);
}

static bool look_on(void *self, const struct olv_os_mount *mount)
{
    struct search *s = self;
    struct olv_error err = {0};
    struct olv_stat stat;
    int top = mount->has_files ? olv_os_open_path(mount->point) : -1;
    if (top < 0) {
        if (mount->has_files && olv_os_is_exhausted(errno))
            cannot_look_on(s, mount->point);
        return true;
    }
    if (!olv_os_stat(top, "", &stat)) {
        cannot_look_on(s, mount->point);
    } else if (stat.mount == mount->id) { /* otherwise another mount covers it */
        mounts_remember(s->trashes, open_on_mount(top, mount->point, false, s->observer, &err));
        mounts_tell(s->observer, &err);
    }
    close(top);
    return true;
}

void olv_trashes_find(struct olv_trashes *t, const struct olv_observer *observer)
{
    struct search s = {t, observer};
    struct olv_error err = {0};
    t->observer = observer;
    if (t->home) {
        mounts_remember(t, olv_trash_open(t->home, false, &err));
        mounts_tell(observer, &err);
    }
    if (!olv_os_each_mount(look_on, &s) && errno != ENOSYS)
        olv_observe_unreadable(observer, "the trashes of other file systems", "looking for them", errno);
}
