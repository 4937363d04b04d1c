/* SPDX-License-Identifier: Apache-2.0 */
#include "file/parents.h"

#include "file/room.h"
#include "olvido/path.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { STICKY = 01000, SET_GROUP = 02000, WRITTEN_BY_OTHERS = 0022 };

/* What a new directory should be like. */
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

/* Only root can give files away; everybody else owns what he makes. */
static bool parents_give(void *self, int fd, struct olv_error *err)
{
    const struct manner *m = self;
    if (fchown(fd, (uid_t)m->owner, (gid_t)m->group) != 0 && (errno != EPERM || geteuid() == 0))
        return olv_fail_system(err, "", "cannot give the directory its owner and group");
    return fchmod(fd, (mode_t)m->mode) == 0 || olv_fail_system(err, "", "cannot give the directory its mode");
}

static int parents_make(int above, const char *name, struct manner *m, const char *label,
                        struct olv_error *err)
{
    int fd = room_make_directory(above, name, label, parents_give, m, err);
    if (fd < 0 || fsync(above) == 0)
        return fd;
    olv_fail_system(err, "", "cannot sync the new directory");
    close(fd);
    return -1;
}

/* One directory further down. */
static int parents_descend(int above, const char *name, struct manner *m, const char *label,
                           struct olv_error *err)
{
    int fd = olv_os_open_dir(above, name, false);
    if (fd >= 0)
        return fd;
    if (errno != ENOENT) {
        olv_fail_system(err, "", "cannot open the directory %.200s", name);
        return -1;
    }
    fd = parents_make(above, name, m, label, err);
    if (fd >= 0 || err->sys != EEXIST)
        return fd;
    olv_error_clear(err); /* somebody else has made it */
    fd = olv_os_open_dir(above, name, false);
    if (fd < 0)
        olv_fail_system(err, "", "cannot open the directory %.200s", name);
    return fd;
}

int parents_there(const char *directory, struct olv_error *err)
{
    int fd = olv_os_open_path(directory);
    if (fd < 0) {
        bool is_link = errno == ELOOP || errno == ENOTDIR;
        olv_fail_system(err, directory,
                        is_link ? "a link or a file is where its directory was"
                                : "cannot open its directory");
    }
    return fd;
}

/* The nearest existing one; `path` is cut down to it. */
static int open_nearest(char *path, struct olv_error *err)
{
    int fd;
    while ((fd = parents_there(path, err)) < 0 && err->sys == ENOENT && strcmp(path, "/") != 0) {
        olv_error_clear(err);
        olv_path_cut(path);
    }
    return fd;
}

/* Makes what is missing, one name at a time; cuts `rest` up. */
static int make_missing(int fd, char *rest, struct manner *manner, const char *label, struct olv_error *err)
{
    char *more = NULL;
    for (char *name = strtok_r(rest, "/", &more); fd >= 0 && name; name = strtok_r(NULL, "/", &more)) {
        int below = parents_descend(fd, name, manner, label, err);
        close(fd);
        fd = below;
    }
    return fd;
}

/* `path`, a copy of it, is cut down to what is there, and then up into what is missing. */
static int open_or_make(char *path, const char *directory, const struct olv_stat *inhabitant,
                        const char *label, struct olv_error *err)
{
    struct manner manner;
    struct olv_stat above;
    int fd = open_nearest(path, err);
    const char *missing = directory + strlen(path);
    if (fd < 0)
        return -1;
    if (!olv_os_stat(fd, "", &above)) {
        olv_fail_system(err, path, "cannot look at the directory");
        close(fd);
        return -1;
    }
    manner = manner_below(&above, inhabitant);
    memcpy(path, missing, strlen(missing) + 1);
    fd = make_missing(fd, path, &manner, label, err);
    if (fd < 0)
        olv_error_at(err, directory);
    return fd;
}

int parents_open(const char *path, const struct olv_stat *inhabitant, const char *label,
                 struct olv_error *err)
{
    char *directory = olv_path_directory(path), *cut = directory ? strdup(directory) : NULL;
    int fd = -1;
    if (cut)
        fd = open_or_make(cut, directory, inhabitant, label, err);
    else
        olv_fail_memory(err);
    free(cut);
    free(directory);
    return fd;
}

/* From the root on, so that a path of any length costs each of its names once. */
void parents_finish(const char *path, const char *label)
{
    char *directory = olv_path_directory(path), *more = NULL;
    char *name = directory ? strtok_r(directory, "/", &more) : NULL;
    int fd = olv_os_open_passing(AT_FDCWD, "/");
    while (fd >= 0) {
        int below;
        room_settle(fd, label);
        below = name ? olv_os_open_passing(fd, name) : -1;
        close(fd);
        fd = below;
        name = strtok_r(NULL, "/", &more);
    }
    free(directory);
}
