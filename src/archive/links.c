/* SPDX-License-Identifier: Apache-2.0 */
/* A table with open addressing, by mount and inode. Entries are told of in the order in which they were
 * added, so those that are pending are a queue. */
#include "archive/links.h"

#include "base/arena.h"
#include "base/grow.h"

#include <stdlib.h>
#include <string.h>

enum { FIRST_SLOTS = 256, MOST = 1 << 20 };

struct links {
    struct olv_arena arena;
    struct link {
        uint64_t mount, inode;
        const char *path; /* NULL: a free slot */
        bool is_known, is_in;
    } * slots;
    size_t slot_count, used;
    struct waiting {
        uint64_t mount, inode, sequence;
    } * waiting; /* those that are not known yet, in order; `first` is the next */
    size_t first, waiting_count, waiting_cap;
};

struct links *links_new(void)
{
    struct links *l = calloc(1, sizeof *l);
    if (!l)
        return NULL;
    l->slots = calloc(FIRST_SLOTS, sizeof *l->slots);
    l->slot_count = FIRST_SLOTS;
    if (l->slots)
        return l;
    free(l);
    return NULL;
}

void links_free(struct links *l)
{
    if (!l)
        return;
    olv_arena_free(&l->arena);
    free(l->waiting);
    free(l->slots);
    free(l);
}

static struct link *slot_of(struct link *slots, size_t count, uint64_t mount, uint64_t inode)
{
    size_t at = (size_t)((inode * 0x9E3779B97F4A7C15u) ^ mount) & (count - 1);
    while (slots[at].path && (slots[at].inode != inode || slots[at].mount != mount))
        at = (at + 1) & (count - 1);
    return &slots[at];
}

enum link_state links_find(const struct links *l, const struct olv_docket_entry *e, const char **path)
{
    const struct link *link = slot_of(l->slots, l->slot_count, e->identity.mount, e->identity.inode);
    if (!link->path || (link->is_known && !link->is_in))
        return LINK_NEW;
    *path = link->path;
    return link->is_known ? LINK_KNOWN : LINK_PENDING;
}

static bool grow_table(struct links *l)
{
    size_t count = 2 * l->slot_count;
    struct link *slots = calloc(count, sizeof *slots);
    if (!slots)
        return false;
    for (size_t i = 0; i < l->slot_count; i++)
        if (l->slots[i].path)
            *slot_of(slots, count, l->slots[i].mount, l->slots[i].inode) = l->slots[i];
    free(l->slots);
    l->slots = slots;
    l->slot_count = count;
    return true;
}

static bool wait_for(struct links *l, const struct olv_docket_entry *e, uint64_t sequence)
{
    if (!grow(&l->waiting, l->waiting_count, &l->waiting_cap, sizeof *l->waiting))
        return false;
    l->waiting[l->waiting_count++] = (struct waiting){e->identity.mount, e->identity.inode, sequence};
    return true;
}

bool links_add(struct links *l, const struct olv_docket_entry *e, uint64_t sequence, const char *path)
{
    struct link *link;
    if (l->used == MOST)
        return true;
    if (2 * l->used >= l->slot_count && !grow_table(l))
        return false;
    link = slot_of(l->slots, l->slot_count, e->identity.mount, e->identity.inode);
    l->used += !link->path;
    *link = (struct link){e->identity.mount, e->identity.inode, olv_arena_copy(&l->arena, path, strlen(path)),
                          false, false};
    return link->path && wait_for(l, e, sequence);
}

void links_know(struct links *l, uint64_t sequence, bool is_in)
{
    const struct waiting *first = &l->waiting[l->first];
    struct link *link;
    if (l->first == l->waiting_count || first->sequence != sequence)
        return;
    link = slot_of(l->slots, l->slot_count, first->mount, first->inode);
    link->is_known = true;
    link->is_in = is_in;
    if (++l->first == l->waiting_count)
        l->first = l->waiting_count = 0;
}
