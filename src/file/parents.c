/* SPDX-License-Identifier: Apache-2.0 */
#include "file/parents.h"

#include "file/room.h"
#include "os/os.h"

#include <errno.h>
#include <limits.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { STICKY = 01000, SET_GROUP = 02000, WRITTEN_BY_OTHERS = 0022 };

/* What a new directory is to be like. */
struct manner {
    uint32_t owner, group, mode;
};

static struct manner manner_below(const struct olv_stat *above, const struct olv_stat *inhabitant)
{
    struct manner m = {above->owner, above->group, (above->mode & 0777) | 0700 | (above->mode & SET_GROUP)};
    if (above->mode & (STICKY | 0002)) {
        m.mode &= ~(uint32_t)WRITTEN_BY_OTHERS;
        m.owner = inhabitant->owner;
        m.group = inhabitant->group;
    }
    return m;
}

/* Only root can give away; whoever else recovers owns what he makes. */
static bool give(void *self, int fd, struct olv_error *err)
{
    const struct manner *m = self;
    if (fchown(fd, (uid_t)m->owner, (gid_t)m->group) != 0 && (errno != EPERM || geteuid() == 0))
        return olv_fail_system(err, "", "cannot give the directory its owner and group");
    return fchmod(fd, (mode_t)m->mode) == 0 || olv_fail_system(err, "", "cannot give the directory its mode");
}

static int make(int above, const char *name, struct manner *m, const char *label, struct olv_error *err)
{
    int fd = room_make_directory(above, name, label, give, m, err);
    if (fd < 0 || fsync(above) == 0)
        return fd;
    olv_fail_system(err, "", "cannot bring the new directory to the disk");
    close(fd);
    return -1;
}

/* One directory further down. */
static int descend(int above, const char *name, struct manner *m, const char *label, struct olv_error *err)
{
    int fd = olv_os_open_dir(above, name, false);
    if (fd >= 0)
        return fd;
    if (errno != ENOENT) {
        olv_fail_system(err, "", "cannot open the directory %.200s", name);
        return -1;
    }
    fd = make(above, name, m, label, err);
    if (fd >= 0 || err->sys != EEXIST)
        return fd;
    olv_error_clear(err); /* somebody else has made it */
    fd = olv_os_open_dir(above, name, false);
    if (fd < 0)
        olv_fail_system(err, "", "cannot open the directory %.200s", name);
    return fd;
}

/* The nearest one that is there; `*len` is how much of the path leads to it. */
static int open_nearest(char *path, size_t *len, struct olv_error *err)
{
    int fd;
    *len = strlen(path);
    while ((fd = olv_os_open_path(*len ? path : "/")) < 0 && errno == ENOENT && *len) {
        while (*len && path[*len - 1] != '/')
            --*len;
        while (*len && path[*len - 1] == '/')
            --*len;
        path[*len] = '\0';
    }
    if (fd < 0) {
        bool is_link = errno == ELOOP || errno == ENOTDIR;
        olv_fail_system(err, path,
                        is_link ? "a link or a file stands where a directory was"
                                : "cannot open the directory");
    }
    return fd;
}

int parents_open(const char *directory, const struct olv_stat *inhabitant, const char *label,
                 struct olv_error *err)
{
    char path[PATH_MAX], *rest = NULL;
    struct manner manner;
    struct olv_stat above;
    size_t len;
    int fd;
    if (strlen(directory) >= sizeof path) {
        errno = ENAMETOOLONG;
        olv_fail_system(err, directory, "cannot open the directory");
        return -1;
    }
    strcpy(path, directory);
    fd = open_nearest(path, &len, err);
    if (fd >= 0 && !olv_os_stat(fd, "", &above)) {
        olv_fail_system(err, path, "cannot look at the directory");
        close(fd);
        return -1;
    }
    strcpy(path, directory + len);
    manner = fd >= 0 ? manner_below(&above, inhabitant) : (struct manner){0};
    for (char *name = strtok_r(path, "/", &rest); fd >= 0 && name; name = strtok_r(NULL, "/", &rest)) {
        int below = descend(fd, name, &manner, label, err);
        if (below < 0)
            olv_error_at(err, directory);
        close(fd);
        fd = below;
    }
    return fd;
}

void parents_settle(const char *directory, const char *label)
{
    char path[PATH_MAX];
    size_t len = strlen(directory);
    if (len >= sizeof path)
        return;
    strcpy(path, directory);
    for (char *slash = path; slash; slash = strchr(slash + 1, '/')) {
        char kept = slash == path ? path[1] : *slash;
        int fd;
        slash[slash == path] = '\0';
        fd = olv_os_open_path(path);
        slash[slash == path] = kept;
        if (fd < 0)
            return;
        room_settle(fd, label);
        close(fd);
    }
}
