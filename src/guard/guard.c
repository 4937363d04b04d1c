/* SPDX-License-Identifier: Apache-2.0 */
#include "guard/guard.h"

#include "os/os.h"

#include <fcntl.h>
#include <limits.h>
#include <pwd.h>
#include <stdlib.h>
#include <string.h>

void olv_guard_add(struct olv_guard *guard, const char *path)
{
    char *real = realpath(path, NULL);
    struct olv_stat stat;
    if (real && guard->own_count < OLV_OWN_PLACES && olv_os_stat(AT_FDCWD, real, &stat) &&
        !olv_guard_is_own(guard, stat.device, stat.inode)) {
        guard->own[guard->own_count].device = stat.device;
        guard->own[guard->own_count].path = real;
        guard->own[guard->own_count++].inode = stat.inode;
    } else {
        free(real);
    }
}

void olv_guard_free(struct olv_guard *guard)
{
    for (size_t i = 0; i < guard->own_count; i++)
        free(guard->own[i].path);
    for (size_t i = 0; i < guard->alias_count; i++)
        free(guard->aliases[i]);
    *guard = (struct olv_guard){.own_count = 0};
}

bool olv_guard_is_own(const struct olv_guard *guard, uint64_t device, uint64_t inode)
{
    for (size_t i = 0; i < guard->own_count; i++)
        if (guard->own[i].device == device && guard->own[i].inode == inode)
            return true;
    return false;
}

static void add_landmark(struct olv_guard *guard, const char *path)
{
    char *real = path && path[0] == '/' ? realpath(path, NULL) : NULL;
    struct olv_stat stat;
    if (real && guard->landmark_count < OLV_LANDMARKS && olv_os_stat(AT_FDCWD, real, &stat) &&
        !olv_guard_is_landmark(guard, stat.device, stat.inode)) {
        guard->landmarks[guard->landmark_count].device = stat.device;
        guard->landmarks[guard->landmark_count++].inode = stat.inode;
    }
    free(real);
}

void olv_guard_add_landmarks(struct olv_guard *guard)
{
    const struct passwd *user;
    add_landmark(guard, "/");
    add_landmark(guard, getenv("HOME"));
    setpwent();
    while ((user = getpwent()))
        add_landmark(guard, user->pw_dir);
    endpwent();
}

bool olv_guard_is_landmark(const struct olv_guard *guard, uint64_t device, uint64_t inode)
{
    for (size_t i = 0; i < guard->landmark_count; i++)
        if (guard->landmarks[i].device == device && guard->landmarks[i].inode == inode)
            return true;
    return false;
}

/* Whether `path` begins with the component `top`, or for "/lib" with any that starts so (/lib64, /libx32). */
static bool is_at_or_below(const char *path, const char *top)
{
    size_t n = strlen(top);
    if (strncmp(path, top, n) != 0)
        return false;
    return path[n] == '\0' || path[n] == '/' || strcmp(top, "/lib") == 0;
}

const char *const olv_guard_tops[] = {"/boot", "/dev", "/etc", "/lib", "/proc", "/run",
                                      "/sbin", "/bin", "/sys", "/usr", NULL};

bool olv_guard_is_system(const struct olv_guard *guard, const char *path)
{
    for (size_t i = 0; olv_guard_tops[i]; i++)
        if (is_at_or_below(path, olv_guard_tops[i]))
            return true;
    for (size_t i = 0; guard && i < guard->alias_count; i++)
        if (is_at_or_below(path, guard->aliases[i]))
            return true;
    return false;
}
