/* SPDX-License-Identifier: Apache-2.0 */
#include "os/weak.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { OPEN_DIRECTORY = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC };

/* The next component of a path, which is advanced past it; false with ENAMETOOLONG. */
static bool cut_component(const char **path, char name[NAME_MAX + 1])
{
    size_t len = strcspn(*path, "/");
    if (len > NAME_MAX) {
        errno = ENAMETOOLONG;
        return false;
    }
    memcpy(name, *path, len);
    name[len] = '\0';
    *path += len;
    return true;
}

static bool is_link(int dir, const char *name)
{
    struct stat st;
    return fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0 && S_ISLNK(st.st_mode);
}

/* Opens what `path` leads to from `fd`, and closes `fd`. */
static int weak_descend(int fd, const char *path)
{
    while (fd >= 0 && *(path += strspn(path, "/"))) {
        char name[NAME_MAX + 1];
        int above = fd, error;
        fd = cut_component(&path, name) ? openat(above, name, OPEN_DIRECTORY) : -1;
        error = fd < 0 && errno == ENOTDIR && is_link(above, name) ? ELOOP : errno;
        close(above);
        errno = error;
    }
    return fd;
}

int weak_open_path(const char *path)
{
    return weak_descend(open("/", OPEN_DIRECTORY), path);
}

static bool weak_climbs(const char *path)
{
    for (; *path; path += strspn(path, "/")) {
        size_t len = strcspn(path, "/");
        if (len == 2 && path[0] == '.' && path[1] == '.')
            return true;
        path += len;
    }
    return false;
}

int weak_open_dir(int dir, const char *path, bool one_mount)
{
    struct olv_stat above, here;
    int fd = -1, error = EXDEV;
    errno = EXDEV;
    if (*path != '/' && !weak_climbs(path))
        fd = weak_descend(openat(dir, ".", OPEN_DIRECTORY), path);
    if (fd < 0 || !one_mount)
        return fd;
    if (!olv_os_stat(dir, "", &above) || !olv_os_stat(fd, "", &here))
        error = errno;
    else if (above.mount == here.mount)
        return fd;
    close(fd);
    errno = error;
    return -1;
}

int olv_os_open_above(int dir)
{
    return openat(dir, "..", OPEN_DIRECTORY);
}

bool olv_os_stat_path(const char *path, struct olv_stat *out)
{
    const char *name = strrchr(path, '/');
    bool ok = olv_os_stat(AT_FDCWD, path, out);
    char *above;
    int fd;
    if (ok || errno != ENAMETOOLONG || !name)
        return ok;
    above = strndup(path, (size_t)(name - path));
    fd = above ? olv_os_open_path(above) : -1;
    free(above);
    ok = fd >= 0 && olv_os_stat(fd, name + 1, out);
    olv_os_close(fd);
    return ok;
}

/* Undoes what was made at the new place, and fails with the earlier error. */
static bool undo(int dir, const char *name)
{
    int error = errno;
    unlinkat(dir, name, 0);
    errno = error;
    return false;
}

/* A directory cannot be linked. A rename replaces at most an empty directory (POSIX.1-2008), which was made
 * just before: so nothing is lost, and nothing is left if it is interrupted. */
static bool rename_directory(int old_dir, const char *old_name, int new_dir, const char *new_name)
{
    struct stat there;
    if (fstatat(new_dir, new_name, &there, AT_SYMLINK_NOFOLLOW) == 0)
        errno = EEXIST;
    if (errno != ENOENT)
        return false;
    if (renameat(old_dir, old_name, new_dir, new_name) == 0)
        return true;
    if (errno == ENOTEMPTY || errno == ENOTDIR)
        errno = EEXIST;
    return false;
}

bool olv_os_rename_new(int old_dir, const char *old_name, int new_dir, const char *new_name)
{
    struct stat st;
    if (olv_os_rename_once(old_dir, old_name, new_dir, new_name))
        return true;
    if (errno != EOPNOTSUPP || fstatat(old_dir, old_name, &st, AT_SYMLINK_NOFOLLOW) < 0)
        return false;
    if (S_ISDIR(st.st_mode))
        return rename_directory(old_dir, old_name, new_dir, new_name);
    return linkat(old_dir, old_name, new_dir, new_name, 0) == 0 &&
           (unlinkat(old_dir, old_name, 0) == 0 || undo(new_dir, new_name));
}
