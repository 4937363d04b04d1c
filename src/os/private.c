/* SPDX-License-Identifier: Apache-2.0 */
/* A directory that somebody else could change is refused, instead of being used with care. */
#include "os/private.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static int private_refuse(int fd, const char *path, struct olv_error *err, const char *hint)
{
    olv_error_at(err, path);
    olv_error_hint(err, hint);
    err->code = OLV_STATE;
    close(fd);
    return -1;
}

static int private_examine(int fd, const char *path, const char *what, struct olv_error *err)
{
    struct stat st;
    if (fstat(fd, &st) < 0) {
        olv_fail_system(err, path, "cannot examine %s", what);
        close(fd);
        return -1;
    }
    if (st.st_uid != geteuid()) {
        olv_fail(err, OLV_STATE, "%s belongs to another user (number %u)", what, (unsigned)st.st_uid);
        return private_refuse(fd, path, err, "choose another place, or run this as its owner");
    }
    if (st.st_mode & 0022) {
        olv_fail(err, OLV_STATE, "others may write in %s", what);
        return private_refuse(fd, path, err,
                              "take that right away (chmod go-w) after a look at what is in it");
    }
    return fd;
}

int olv_private_open(int dir, const char *name, bool create, const char *path, const char *what,
                     struct olv_error *err)
{
    int fd = openat(dir, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    struct stat st;
    if (fd < 0 && errno == ENOENT && create) {
        if (mkdirat(dir, name, 0700) < 0 && errno != EEXIST) {
            olv_fail_system(err, path, "cannot make %s", what);
            olv_error_as(err, OLV_STATE);
            return -1;
        }
        fd = openat(dir, name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    }
    if (fd >= 0)
        return private_examine(fd, path, what, err);
    int sys = errno;
    if (fstatat(dir, name, &st, AT_SYMLINK_NOFOLLOW) == 0 && S_ISLNK(st.st_mode)) {
        olv_fail(err, OLV_STATE, "%s is a symbolic link", what);
        olv_error_hint(err, "a link can be turned elsewhere; use the real directory");
        olv_error_at(err, path);
        return -1;
    }
    errno = sys;
    olv_fail_system(err, path, "cannot open %s", what);
    olv_error_as(err, OLV_STATE);
    return -1;
}

bool olv_make_parents(const char *path, struct olv_error *err)
{
    char copy[PATH_MAX];
    size_t len = strlen(path);
    if (len >= sizeof copy) {
        errno = ENAMETOOLONG;
        return olv_fail_system(err, path, "cannot make this directory");
    }
    memcpy(copy, path, len + 1);
    for (char *slash = strchr(copy + 1, '/'); slash; slash = strchr(slash + 1, '/')) {
        *slash = '\0';
        if (mkdir(copy, 0700) < 0 && errno != EEXIST && errno != EISDIR) {
            olv_fail_system(err, copy, "cannot make this directory");
            return olv_error_as(err, OLV_STATE);
        }
        *slash = '/';
    }
    return true;
}
