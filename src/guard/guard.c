/* SPDX-License-Identifier: Apache-2.0 */
#include "guard/places.h"

#include "base/grow.h"
#include "olvido/path.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <pwd.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

void guard_forgets(struct olv_guard *guard, const char *path)
{
    if (guard->error.code == OLV_OK)
        olv_fail_system(&guard->error, path, "cannot find out what must never be touched");
}

/* The canonical path, and its status. NULL if nothing is there, or if it cannot be known, which the guard
 * remembers. */
static char *guard_look(struct olv_guard *guard, const char *path, struct olv_stat *stat)
{
    char *real = realpath(path, NULL);
    if (real && olv_os_stat(AT_FDCWD, real, stat))
        return real;
    if (errno != ENOENT && errno != ENOTDIR)
        guard_forgets(guard, path);
    free(real);
    return NULL;
}

void olv_guard_add(struct olv_guard *guard, const char *path)
{
    struct olv_stat stat;
    char *real = guard_look(guard, path, &stat);
    if (!real || olv_guard_is_own(guard, stat.device, stat.inode)) {
        free(real);
        return;
    }
    if (!grow(&guard->own, guard->own_count, &guard->own_cap, sizeof *guard->own)) {
        guard_forgets(guard, path);
        free(real);
        return;
    }
    guard->own[guard->own_count++] = (struct olv_guarded){stat.device, stat.inode, real};
}

void olv_guard_free(struct olv_guard *guard)
{
    for (size_t i = 0; i < guard->own_count; i++)
        free(guard->own[i].path);
    for (size_t i = 0; i < guard->alias_count; i++)
        free(guard->aliases[i].path);
    free(guard->own);
    free(guard->aliases);
    free(guard->landmarks);
    *guard = (struct olv_guard){.own_count = 0};
}

bool olv_guard_is_own(const struct olv_guard *guard, uint64_t device, uint64_t inode)
{
    for (size_t i = 0; i < guard->own_count; i++)
        if (guard->own[i].device == device && guard->own[i].inode == inode)
            return true;
    return false;
}

static void remember_landmark(struct olv_guard *guard, const char *path, const struct olv_stat *stat,
                              const char *what)
{
    if (olv_guard_landmark(guard, stat->device, stat->inode))
        return;
    if (!grow(&guard->landmarks, guard->landmark_count, &guard->landmark_cap, sizeof *guard->landmarks))
        guard_forgets(guard, path);
    else
        guard->landmarks[guard->landmark_count++] = (struct olv_landmark){stat->device, stat->inode, what};
}

/* Homes on disks that are missing, or that nobody may enter, are no landmarks: nothing could remove them. */
static void add_landmark(struct olv_guard *guard, const char *path, const char *what)
{
    struct olv_stat stat;
    char *real = path && path[0] == '/' ? realpath(path, NULL) : NULL;
    bool is_there = real && olv_os_stat(AT_FDCWD, real, &stat);
    free(real);
    if (is_there)
        remember_landmark(guard, path, &stat, what);
}

void olv_guard_add_landmarks(struct olv_guard *guard)
{
    const struct passwd *user;
    add_landmark(guard, "/", "the root");
    add_landmark(guard, getenv("HOME"), "your home");
    setpwent();
    while ((user = getpwent()))
        add_landmark(guard, user->pw_dir, user->pw_uid == geteuid() ? "your home" : "a home directory");
    endpwent();
}

/* Up to the root, which is its own parent. */
void olv_guard_add_here(struct olv_guard *guard)
{
    const char *what = "the working directory";
    struct olv_stat stat, above;
    int fd = olv_os_open_passing(AT_FDCWD, "."), up;
    bool is_more = fd >= 0 && olv_os_stat(fd, "", &stat);
    if (fd >= 0 && !is_more)
        guard_forgets(guard, ".");
    while (is_more) {
        remember_landmark(guard, ".", &stat, what);
        what = "a directory above the working directory";
        up = olv_os_open_passing(fd, "..");
        olv_os_close(fd);
        fd = up;
        is_more = fd >= 0 && olv_os_stat(fd, "", &above) &&
                  (above.device != stat.device || above.inode != stat.inode || above.mount != stat.mount);
        stat = above;
    }
    olv_os_close(fd);
}

const char *olv_guard_landmark(const struct olv_guard *guard, uint64_t device, uint64_t inode)
{
    for (size_t i = 0; guard && i < guard->landmark_count; i++)
        if (guard->landmarks[i].device == device && guard->landmarks[i].inode == inode)
            return guard->landmarks[i].what;
    return NULL;
}

const char *const olv_guard_tops[] = {"/boot",  "/dev",    "/etc",    "/lib",  "/lib32",
                                      "/lib64", "/libo32", "/libx32", "/proc", "/run",
                                      "/sbin",  "/bin",    "/sys",    "/usr",  NULL};

enum olv_barrier olv_guard_of(const struct olv_guard *guard, const char *path)
{
    for (size_t i = 0; olv_guard_tops[i]; i++)
        if (olv_path_behind(path, olv_guard_tops[i]))
            return OLV_SYSTEM_PLACE;
    for (size_t i = 0; guard && i < guard->own_count; i++)
        if (olv_path_behind(path, guard->own[i].path))
            return OLV_OWN_PLACE;
    for (size_t i = 0; guard && i < guard->alias_count; i++)
        if (olv_path_behind(path, guard->aliases[i].path))
            return guard->aliases[i].is_own ? OLV_OWN_PLACE : OLV_SYSTEM_PLACE;
    return OLV_NO_BARRIER;
}

const char olv_guard_own_words[] = "one of Olvido's own files";

const char *olv_barrier_words(enum olv_barrier barrier)
{
    static const char *const words[] = {
        [OLV_SYSTEM_PLACE] = "in a system directory", [OLV_OWN_PLACE] = "in one of Olvido's own places"};
    return words[barrier];
}
