/* SPDX-License-Identifier: Apache-2.0 */
#include "base/inodes.h"

#include <search.h>

static int inodes_compare(const void *a, const void *b)
{
    const struct inode *x = a, *y = b;
    if (x->number != y->number)
        return x->number < y->number ? -1 : 1;
    return x->system != y->system ? x->system < y->system ? -1 : 1 : 0;
}

void *inodes_find(const struct inodes *inodes, uint64_t system, uint64_t number)
{
    struct inode wanted = {system, number};
    void *root = inodes->root, **found = tfind(&wanted, &root, inodes_compare);
    return found ? *found : NULL;
}

bool inodes_add(struct inodes *inodes, struct inode *known)
{
    return tsearch(known, &inodes->root, inodes_compare) != NULL;
}

void inodes_free(struct inodes *inodes)
{
    while (inodes->root)
        tdelete(*(struct inode **)inodes->root, &inodes->root, inodes_compare);
}
