/* SPDX-License-Identifier: Apache-2.0 */
/* Results arrive in the order of addition, so pending entries form a queue. */
#include "archive/links.h"

#include "base/arena.h"
#include "base/grow.h"
#include "base/inodes.h"

#include <stdlib.h>
#include <string.h>

enum { MOST = 1 << 20 };

struct link {
    struct inode inode; /* with the mount */
    const char *path;
    bool is_known, is_in;
};

struct links {
    struct olv_arena arena;
    struct inodes inodes; /* a `struct link` for each, in the arena */
    size_t count;
    struct waiting {
        struct link *link;
        uint64_t sequence;
    } * waiting; /* those not known yet, in order; `first` is the next */
    size_t first, waiting_count, waiting_cap;
};

struct links *links_new(void)
{
    return calloc(1, sizeof(struct links));
}

void links_free(struct links *l)
{
    if (!l)
        return;
    inodes_free(&l->inodes);
    olv_arena_free(&l->arena);
    free(l->waiting);
    free(l);
}

enum link_state links_find(const struct links *l, const struct olv_docket_entry *e, const char **path)
{
    const struct link *link = inodes_find(&l->inodes, e->identity.mount, e->identity.inode);
    if (!link || (link->is_known && !link->is_in))
        return LINK_NEW;
    *path = link->path;
    return link->is_known ? LINK_KNOWN : LINK_PENDING;
}

static struct link *new_link(struct links *l, const struct olv_docket_entry *e)
{
    struct link *link = olv_arena_alloc(&l->arena, sizeof *link);
    if (!link)
        return NULL;
    link->inode = (struct inode){e->identity.mount, e->identity.inode};
    l->count++;
    return inodes_add(&l->inodes, &link->inode) ? link : NULL;
}

bool links_add(struct links *l, const struct olv_docket_entry *e, uint64_t sequence, const char *path)
{
    struct link *link = inodes_find(&l->inodes, e->identity.mount, e->identity.inode);
    if (l->count == MOST)
        return true;
    if (!grow(&l->waiting, l->waiting_count, &l->waiting_cap, sizeof *l->waiting))
        return false;
    path = olv_arena_copy(&l->arena, path, strlen(path));
    if (!path || (!link && !(link = new_link(l, e))))
        return false;
    link->path = path;
    link->is_known = false;
    l->waiting[l->waiting_count++] = (struct waiting){link, sequence};
    return true;
}

void links_know(struct links *l, uint64_t sequence, bool is_in)
{
    const struct waiting *first = &l->waiting[l->first];
    if (l->first == l->waiting_count || first->sequence != sequence)
        return;
    first->link->is_known = true;
    first->link->is_in = is_in;
    if (++l->first == l->waiting_count)
        l->first = l->waiting_count = 0;
}
