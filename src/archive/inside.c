/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/inside.h"

#include "base/path.h"
#include "file/identity.h"
#include "file/room.h"
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
    if (in->dir >= 0)
        close(in->dir);
    olv_text_free(&in->path);
    free(in->made);
}

/* ---- what was made ---- */

static struct inside_made *place_of(struct inside_made *made, size_t size, uint64_t device, uint64_t inode)
{
    size_t at = (size_t)((inode * 0x9E3779B97F4A7C15u) ^ device) & (size - 1);
    while (made[at].inode && (made[at].inode != inode || made[at].device != device))
        at = (at + 1) & (size - 1);
    return &made[at];
}

static bool grow(struct inside *in)
{
    size_t size = in->made_size ? 2 * in->made_size : 64;
    struct inside_made *grown = calloc(size, sizeof *grown);
    if (!grown)
        return false;
    for (size_t i = 0; i < in->made_size; i++)
        if (in->made[i].inode)
            *place_of(grown, size, in->made[i].device, in->made[i].inode) = in->made[i];
    free(in->made);
    in->made = grown;
    in->made_size = size;
    return true;
}

static bool remember(struct inside *in, int fd)
{
    struct olv_stat stat;
    if (!olv_os_stat(fd, "", &stat) || (2 * in->made_count >= in->made_size && !grow(in)))
        return false;
    *place_of(in->made, in->made_size, stat.device, stat.inode) =
        (struct inside_made){stat.device, stat.inode};
    in->made_count++;
    return true;
}

bool inside_has_made(const struct inside *in, const struct olv_stat *stat)
{
    return in->made_size && place_of(in->made, in->made_size, stat->device, stat->inode)->inode != 0;
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

/* Where nobody else has a hand it has its name at once: nobody clears up after what keeps no state. */
static int make_here(int dir, const char *name, struct olv_error *err)
{
    int fd = mkdirat(dir, name, 0700) == 0 ? olv_os_open_dir(dir, name, false) : -1;
    if (fd >= 0 && olv_os_clear_lists(fd))
        return fd;
    olv_fail_system(err, "", "cannot make the directory %.200s", name);
    if (fd >= 0)
        close(fd);
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
    if (fd < 0 || remember(in, fd))
        return fd;
    olv_fail_memory(err);
    close(fd);
    return -1;
}

/* One directory further down. */
static int descend(struct inside *in, int dir, const char *name, struct olv_error *err)
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
        olv_fail(err, OLV_REFUSED, "a link or a file stands where the directory %.200s should be", name);
    else
        olv_fail_system(err, "", "cannot open the directory %.200s", name);
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
        below = descend(in, dir, name, err);
        close(dir);
        dir = below;
        at += n + 1;
    }
    return dir;
}

int inside_reach(struct inside *in, const char *path, const char **name, struct olv_error *err)
{
    size_t len = path_directory_len(path);
    *name = path_name(path);
    if (in->dir >= 0 && in->path.len == len && memcmp(olv_text_string(&in->path), path, len) == 0)
        return in->dir;
    if (in->dir >= 0)
        close(in->dir);
    in->dir = reach(in, path, len, err);
    olv_text_clear(&in->path);
    olv_text_add(&in->path, path, len);
    return in->dir;
}
