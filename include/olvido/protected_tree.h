/* SPDX-License-Identifier: Apache-2.0 */
/* What is protected in trees, whoever protects it, and which directories above can still be renamed. */
#ifndef OLVIDO_PROTECTED_TREE_H
#define OLVIDO_PROTECTED_TREE_H

#include "olvido/guard.h"
#include "olvido/observer.h"
#include "olvido/protection.h"
#include "olvido/sorter.h"

enum { OLV_PROTECTED_SHOWN = 40 /* things; of more, one line for each directory */ };

struct olv_protected_tree {
    uint64_t entries;                       /* looked at */
    uint64_t frozen, append_only, readonly; /* of those; readonly counts if Olvido knows it */
    uint64_t troubles;                      /* places that could not be read */
    struct olv_sorter *list;                /* records for olv_protected_line, by path */
    bool is_summed;                         /* the lines are sums of directories */
};

struct olv_protected_line {
    const char *path;                       /* borrowed from the record */
    uint64_t frozen, append_only, readonly; /* of a sum: things right in this directory */
    uint64_t entries;                       /* of a sum: all things right in it */
    unsigned levels;                        /* of one thing: these, */
    struct olv_stat stat;                   /* as it is now */
    uint8_t uuid[16];                       /* of its file system; zeros: unknown */
};

/* Looks at these paths and all that is below. `reg` may be NULL. False when interrupted or out of memory;
 * free it in any case. */
bool olv_protected_tree_look(struct olv_protected_tree *tree, const char *const *paths, size_t count,
                             struct olv_register *reg, bool lists_all, const struct olv_observer *observer,
                             struct olv_error *err);
/* False: the record is of the other kind (see is_summed). */
bool olv_protected_line(const struct olv_protected_tree *tree, const struct olv_sorted *record,
                        struct olv_protected_line *out);
void olv_protected_tree_free(struct olv_protected_tree *tree);

/* Calls `each` for the directories above a canonical path that can be renamed, with what is in them, from the
 * nearest on, up to the first that is guarded, a home or a mount point. */
void olv_protection_above(const struct olv_guard *guard, const char *path,
                          void (*each)(void *self, const char *directory), void *self);

#endif
