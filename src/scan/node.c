/* SPDX-License-Identifier: Apache-2.0 */
/* A directory's descriptor stays open while a child waits to be opened through it, so that a name is never
 * resolved twice. Beyond a budget of open descriptors, children are reached from their root, again without
 * following links. */
#include "scan/node.h"

#include "os/os.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <unistd.h>

enum { MOST_DESCRIPTORS = 256 };

static atomic_ullong serials;
static atomic_int
    open_descriptors; /* of all walks in this process, because the system's limit is per process */

/* A quarter of what the system allows; the rest is for others in this process. */
static int descriptor_budget(void)
{
    struct rlimit limit;
    if (getrlimit(RLIMIT_NOFILE, &limit) < 0 || limit.rlim_cur / 4 > MOST_DESCRIPTORS)
        return MOST_DESCRIPTORS;
    return (int)limit.rlim_cur / 4;
}

struct node *node_new(struct node *parent, const char *name, size_t len)
{
    struct node *node = malloc(sizeof *node + len + 1);
    char *copy;
    if (!node)
        return NULL;
    copy = (char *)(node + 1);
    memcpy(copy, name, len);
    copy[len] = '\0';
    *node = (struct node){
        .dir = {.name = copy, .name_len = len, .path_len = len}, .parent = parent, .fd = -1, .above = -1};
    atomic_init(&node->references, 1);
    atomic_init(&node->fd_users, 0);
    node->root = node;
    node->dir.serial = atomic_fetch_add(&serials, 1) + 1;
    if (!parent)
        return node;
    atomic_fetch_add(&parent->references, 1);
    node->root = parent->root;
    node->dir.parent = &parent->dir;
    node->dir.tag = parent->dir.tag;
    node->dir.root = parent->dir.root;
    node->dir.depth = parent->dir.depth + 1;
    node->dir.path_len +=
        parent->dir.path_len + (parent->dir.path_len > 1); /* the root ends with its slash */
    node->opens_by_path = parent != node->root && atomic_load(&open_descriptors) > descriptor_budget();
    if (!node->opens_by_path)
        node_use_fd(parent);
    return node;
}

void node_unref(struct node *node, const struct olv_scan_visitor *visitor, unsigned worker)
{
    while (node && atomic_fetch_sub(&node->references, 1) == 1) {
        struct node *parent = node->parent;
        if (visitor->leave)
            visitor->leave(visitor->self, worker, &node->dir);
        if (node->fd >= 0) {
            close(node->fd);
            atomic_fetch_sub(&open_descriptors, 1);
        }
        free(node);
        node = parent;
    }
}

void node_use_fd(struct node *node)
{
    atomic_fetch_add(&node->fd_users, 1);
}

void node_unuse_fd(struct node *node)
{
    if (atomic_fetch_sub(&node->fd_users, 1) != 1 || node->root == node)
        return; /* a root's descriptor lives as long as the root: others may be reached from it */
    close(node->fd);
    node->fd = -1;
    atomic_fetch_sub(&open_descriptors, 1);
}

static int open_from_root(struct node *node)
{
    struct olv_text path = {0};
    int fd = -1;
    olv_scan_dir_path_below(&node->dir, &path);
    if (path.failed || !path.data)
        errno = ENOMEM;
    else
        fd = olv_os_open_dir(node->root->fd, path.data, true);
    olv_text_free(&path);
    return fd;
}

int node_open(struct node *node)
{
    if (!node->parent && node->above >= 0)
        node->fd = olv_os_open_dir(node->above, node->dir.name, true);
    else if (!node->parent)
        node->fd = olv_os_open_path(node->dir.name);
    else if (node->opens_by_path)
        node->fd = open_from_root(node);
    else {
        node->fd = olv_os_open_dir(node->parent->fd, node->dir.name, true);
        if (node->fd < 0 && errno == EMFILE)
            return -1; /* keep the claim: the caller may retry */
        int sys = errno;
        node_unuse_fd(node->parent);
        errno = sys;
    }
    if (node->fd < 0)
        return -1;
    atomic_fetch_add(&open_descriptors, 1);
    node_use_fd(node);
    return node->fd;
}

void olv_scan_dir_path_below(const struct olv_scan_dir *dir, struct olv_text *out)
{
    size_t len = 0, at;
    char *room;
    for (const struct olv_scan_dir *d = dir; d->parent; d = d->parent)
        len += d->name_len + 1;
    if (len == 0)
        return;
    room = olv_text_room(out, len - 1);
    if (!room)
        return;
    at = len - 1;
    out->len += at;
    room[at] = '\0';
    for (const struct olv_scan_dir *d = dir; d->parent; d = d->parent) {
        at -= d->name_len;
        memcpy(room + at, d->name, d->name_len);
        if (at)
            room[--at] = '/';
    }
}

void olv_scan_dir_path(const struct olv_scan_dir *dir, struct olv_text *out)
{
    const struct olv_scan_dir *root = dir;
    while (root->parent)
        root = root->parent;
    olv_text_add(out, root->name, root->name_len);
    if (dir == root)
        return;
    if (root->name_len != 1 || *root->name != '/')
        olv_text_add(out, "/", 1);
    olv_scan_dir_path_below(dir, out);
}
