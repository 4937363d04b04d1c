/* SPDX-License-Identifier: Apache-2.0 */
/* The places that nothing removes from or moves out of. */
#ifndef OLVIDO_GUARD_H
#define OLVIDO_GUARD_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { OLV_OWN_PLACES = 64, OLV_LANDMARKS = 256 };

/* System directories are known; Olvido's own places (state, trash, policies) are told to it. */
struct olv_guard {
    struct {
        uint64_t device, inode;
    } own[OLV_OWN_PLACES];
    size_t own_count;
    struct {
        uint64_t device, inode;
    } landmarks[OLV_LANDMARKS];
    size_t landmark_count;
};

/* Adds a directory or a file, following links in its path; one that does not exist needs no guard. */
void olv_guard_add(struct olv_guard *guard, const char *path);

/* Adds the root and every home directory that this machine knows: they are never themselves removed, moved or
 * overwritten, though what is in them may be. */
void olv_guard_add_landmarks(struct olv_guard *guard);

#endif
