/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/inside.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

void inside_begin(struct inside *in, int top)
{
    *in = (struct inside){.top = top, .dir = -1};
}

void inside_end(struct inside *in)
{
    if (in->dir >= 0)
        close(in->dir);
    olv_text_free(&in->path);
}

bool inside_clean(const char *path, struct olv_text *out, struct olv_error *err)
{
    size_t begin = out->len;
    while (*path) {
        size_t len = strcspn(path, "/");
        if (len == 2 && memcmp(path, "..", 2) == 0)
            return olv_fail(err, OLV_REFUSED, "its name leads out of the directory");
        if (len > NAME_MAX)
            return olv_fail(err, OLV_REFUSED, "a part of its name is too long");
        if (len && !(len == 1 && *path == '.')) {
            if (out->len > begin)
                olv_text_puts(out, "/");
            olv_text_add(out, path, len);
        }
        path += len + (path[len] == '/');
    }
    return !out->failed || olv_fail_memory(err);
}

/* One directory further down. */
static int descend(int dir, const char *name, struct olv_error *err)
{
    int fd = olv_os_open_dir(dir, name, false);
    if (fd < 0 && errno == ENOENT && (mkdirat(dir, name, 0700) == 0 || errno == EEXIST))
        fd = olv_os_open_dir(dir, name, false);
    if (fd >= 0)
        return fd;
    if (errno == ELOOP || errno == ENOTDIR)
        olv_fail(err, OLV_REFUSED, "a link or a file stands where the directory %.200s should be", name);
    else
        olv_fail_system(err, "", "cannot make the directory %.200s", name);
    return -1;
}

/* From the top, part by part. */
static int reach(struct inside *in, const char *path, size_t len, struct olv_error *err)
{
    char name[NAME_MAX + 1];
    int dir = olv_os_open_dir(in->top, ".", false);
    if (dir < 0)
        olv_fail_system(err, "", "cannot open the directory");
    for (size_t at = 0; dir >= 0 && at < len;) {
        size_t n = strcspn(path + at, "/");
        int below;
        if (n > len - at)
            n = len - at;
        memcpy(name, path + at, n);
        name[n] = '\0';
        below = descend(dir, name, err);
        close(dir);
        dir = below;
        at += n + 1;
    }
    return dir;
}

int inside_reach(struct inside *in, const char *path, const char **name, struct olv_error *err)
{
    const char *slash = strrchr(path, '/');
    size_t len = slash ? (size_t)(slash - path) : 0;
    *name = slash ? slash + 1 : path;
    if (in->dir >= 0 && in->path.len == len && memcmp(olv_text_string(&in->path), path, len) == 0)
        return in->dir;
    if (in->dir >= 0)
        close(in->dir);
    in->dir = reach(in, path, len, err);
    olv_text_clear(&in->path);
    olv_text_add(&in->path, path, len);
    return in->dir;
}
