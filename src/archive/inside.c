/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/inside.h"

#include "file/identity.h"
#include "file/room.h"
#include "olvido/path.h"
#include "os/files.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

void inside_begin(struct inside *in, int top, const char *label)
{
    *in = (struct inside){.top = top, .label = label, .dir = -1};
}

void inside_end(struct inside *in)
{
    olv_os_close(in->dir);
    olv_text_free(&in->path);
    inodes_free(&in->made);
    olv_arena_free(&in->arena);
}

/* ---- what was made ---- */

static bool inside_remember(struct inside *in, int fd)
{
    struct olv_stat stat;
    struct inode *made = olv_os_stat(fd, "", &stat) ? olv_arena_alloc(&in->arena, sizeof *made) : NULL;
    if (!made)
        return false;
    *made = (struct inode){stat.device, stat.inode};
    return inodes_add(&in->made, made);
}

bool inside_has_made(const struct inside *in, const struct olv_stat *stat)
{
    return inodes_find(&in->made, stat->device, stat->inode) != NULL;
}

bool inside_clean(const char *path, struct olv_text *out, struct olv_error *err)
{
    size_t begin = out->len;
    while (*path) {
        size_t len = strcspn(path, "/");
        if (len == 2 && memcmp(path, "..", 2) == 0)
            return olv_fail(err, OLV_REFUSED, "its name leads outside the directory");
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

/* If nobody else can interfere it gets its name at once: without a state directory nobody would clear up
 * later. */
static int make_here(int dir, const char *name, struct olv_error *err)
{
    int fd = mkdirat(dir, name, 0700) == 0 ? olv_os_open_dir(dir, name, false) : -1;
    if (fd >= 0 && olv_os_clear_lists(fd))
        return fd;
    olv_fail_system(err, "", "cannot make the directory %.200s", name);
    olv_os_close(fd);
    return -1;
}

int inside_make(struct inside *in, int dir, const char *name, struct olv_error *err)
{
    struct olv_stat stat;
    int fd;
    if (!olv_os_stat(dir, "", &stat)) {
        olv_fail_system(err, "", "cannot look at the directory");
        return -1;
    }
    fd = olv_directory_is_ours(&stat) ? make_here(dir, name, err)
                                      : room_make_directory(dir, name, in->label, NULL, NULL, err);
    if (fd < 0 || inside_remember(in, fd))
        return fd;
    olv_fail_memory(err);
    close(fd);
    return -1;
}

/* One directory further down. */
static int inside_descend(struct inside *in, int dir, const char *name, struct olv_error *err)
{
    struct olv_error why = {0};
    int fd = olv_os_open_dir(dir, name, false);
    if (fd < 0 && errno == ENOENT && in->label) {
        fd = inside_make(in, dir, name, &why);
        if (fd < 0 && why.sys != EEXIST) {
            *err = why;
            return -1;
        }
        if (fd < 0)
            fd = olv_os_open_dir(dir, name, false);
    }
    if (fd >= 0)
        return fd;
    if (errno == ELOOP || errno == ENOTDIR)
        olv_fail(err, OLV_REFUSED, "a link or a file is where the directory %.200s should be", name);
    else
        olv_fail_system(err, "", "cannot open the directory %.200s", name);
    return -1;
}

/* From the top, one component at a time. */
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
        below = inside_descend(in, dir, name, err);
        close(dir);
        dir = below;
        at += n + 1;
    }
    return dir;
}

int inside_reach(struct inside *in, const char *path, const char **name, struct olv_error *err)
{
    size_t len = olv_path_directory_len(path);
    *name = olv_path_name(path);
    if (in->dir >= 0 && in->path.len == len && memcmp(olv_text_string(&in->path), path, len) == 0)
        return in->dir;
    olv_os_close(in->dir);
    in->dir = reach(in, path, len, err);
    olv_text_clear(&in->path);
    olv_text_add(&in->path, path, len);
    return in->dir;
}
