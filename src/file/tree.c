/* SPDX-License-Identifier: Apache-2.0 */
/* Depth-first with a bounded number of open descriptors: what lies deeper is first moved up to the top of the
 * tree, where it is later met as one of the top's own entries. */
#include "file/tree.h"

#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { DEEPEST = 48, BUFFER = 32768 };

struct removing {
    int top;              /* the tree's own directory */
    uint64_t device;      /* its file system, or subvolume */
    unsigned long raised; /* directories moved up so far */
    const struct unlinking *how;
    struct olv_error *err;
};

static bool tree_clear(struct removing *r, int dir, unsigned depth, bool *has_raised);

static bool stands(struct removing *r, const char *name)
{
    return olv_fail_system(r->err, name, "cannot remove it");
}

/* Where another file system or a subvolume begins, errno is EXDEV. */
static int open_here(const struct removing *r, int dir, const char *name)
{
    struct olv_stat stat;
    int fd = olv_os_open_dir(dir, name, true);
    if (fd < 0 || (olv_os_stat(fd, "", &stat) && stat.device == r->device))
        return fd;
    close(fd);
    errno = EXDEV;
    return -1;
}

/* Moves a directory up to the top, under an unused name. */
static bool raise_up(struct removing *r, int dir, const char *name)
{
    char fresh[64];
    bool is_up;
    do {
        snprintf(fresh, sizeof fresh, ".olvido-%ld-%lu", (long)getpid(), r->raised++);
        is_up = olv_os_rename_new(dir, name, r->top, fresh);
    } while (!is_up && errno == EEXIST);
    return is_up || stands(r, name);
}

static bool remove_directory(struct removing *r, int dir, const char *name, unsigned depth, bool *has_raised)
{
    int fd;
    bool ok;
    fd = open_here(r, dir, name);
    if (fd < 0)
        return errno == EXDEV
                   ? olv_error_at(r->err,
                                  (olv_fail(r->err, OLV_SYSTEM, "another file system begins here"), name))
                   : stands(r, name);
    if (depth == DEEPEST) {
        close(fd);
        *has_raised = true;
        return raise_up(r, dir, name);
    }
    ok = tree_clear(r, fd, depth, has_raised);
    close(fd);
    return ok && (unlinkat(dir, name, AT_REMOVEDIR) == 0 || stands(r, name));
}

static bool remove_entry(struct removing *r, int dir, const struct olv_os_name *entry, unsigned depth,
                         bool *has_raised)
{
    struct olv_stat stat;
    enum olv_kind kind = entry->kind;
    if (kind == OLV_KIND_UNKNOWN && olv_os_stat(dir, entry->name, &stat))
        kind = stat.kind;
    if (kind == OLV_KIND_DIRECTORY)
        return remove_directory(r, dir, entry->name, depth + 1, has_raised);
    return unlinking_begin(r->how, dir, entry->name, r->err) &&
           (unlinkat(dir, entry->name, 0) == 0 || errno == ENOENT || stands(r, entry->name));
}

/* Removes everything in `dir`. */
static bool tree_clear(struct removing *r, int dir, unsigned depth, bool *has_raised)
{
    char *buffer = malloc(BUFFER);
    struct olv_os_listing listing;
    struct olv_os_name entry;
    bool ok = buffer || olv_fail_memory(r->err), is_listed = ok && olv_os_list_begin(&listing, dir);
    ssize_t got = is_listed ? 0 : -1;
    while (ok && is_listed && (got = olv_os_list_read(&listing, buffer, BUFFER)) > 0)
        for (size_t at = 0; ok && olv_os_next_name(buffer, (size_t)got, &at, &entry);)
            ok = remove_entry(r, dir, &entry, depth, has_raised);
    if (is_listed)
        olv_os_list_end(&listing);
    if (ok && got < 0)
        ok = olv_fail_system(r->err, "", "cannot read a directory of the tree");
    free(buffer);
    return ok;
}

bool olv_tree_remove(int dir, const char *name, enum olv_kind kind, const struct unlinking *how,
                     struct olv_error *err)
{
    struct removing r = {.how = how, .err = err};
    struct olv_stat top;
    bool has_raised = true, ok = true;
    if (kind != OLV_KIND_DIRECTORY)
        return unlinking_begin(how, dir, name, err) && (unlinkat(dir, name, 0) == 0 || stands(&r, name));
    r.top = olv_os_open_dir(dir, name, true);
    if (r.top < 0 || !olv_os_stat(r.top, "", &top)) {
        stands(&r, name);
        olv_os_close(r.top);
        return false;
    }
    r.device = top.device;
    while (ok && has_raised) {
        has_raised = false;
        ok = tree_clear(&r, r.top, 0, &has_raised);
    }
    close(r.top);
    return ok && (unlinkat(dir, name, AT_REMOVEDIR) == 0 || stands(&r, name));
}
