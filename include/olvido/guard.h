/* SPDX-License-Identifier: Apache-2.0 */
/* The places that nothing removes from or moves out of. */
#ifndef OLVIDO_GUARD_H
#define OLVIDO_GUARD_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { OLV_OWN_PLACES = 64, OLV_LANDMARKS = 256, OLV_ALIASES = 256 };

/* System directories are known; Olvido's own places (state, trash, policies) are told to it. Begins zeroed;
 * olv_guard_free in the end. */
struct olv_guard {
    struct {
        uint64_t device, inode;
        char *path; /* owned; canonical */
    } own[OLV_OWN_PLACES];
    size_t own_count;
    char
        *aliases[OLV_ALIASES]; /* owned: other paths that lead to or into such places, through other mounts */
    size_t alias_count;
    struct {
        uint64_t device, inode;
    } landmarks[OLV_LANDMARKS];
    size_t landmark_count;
};

/* Adds a directory or a file, following links in its path; one that does not exist needs no guard. */
void olv_guard_add(struct olv_guard *guard, const char *path);

/* To be called when all places were added: finds where mounts show them, or system directories, once more. */
void olv_guard_find_aliases(struct olv_guard *guard);
void olv_guard_free(struct olv_guard *guard);

/* Adds the root and every home directory that this machine knows: they are never themselves removed, moved or
 * overwritten, though what is in them may be. */
void olv_guard_add_landmarks(struct olv_guard *guard);

#endif
