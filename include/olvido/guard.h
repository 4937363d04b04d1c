/* SPDX-License-Identifier: Apache-2.0 */
/* Places that nothing is removed from or moved out of: Olvido's own, and what a machine needs to run. Asked
 * when a docket is made, and again right before each act. */
#ifndef OLVIDO_GUARD_H
#define OLVIDO_GUARD_H

#include "olvido/error.h"

#include <stddef.h>
#include <stdint.h>

/* It knows the system directories; Olvido's own places (state, trash, depots, policies) are added. Start
 * zeroed; end with olv_guard_free. */
struct olv_guard {
    struct olv_guarded {
        uint64_t device, inode;
        char *path; /* owned; canonical */
    } * own;
    struct olv_alias {
        char *path;  /* owned: another path that leads to or into such a place through another mount */
        bool is_own; /* to one of Olvido's places; otherwise to a system directory */
    } * aliases;
    struct olv_landmark {
        uint64_t device, inode;
        const char *what; /* "the root", "your home" */
    } * landmarks;
    size_t own_count, own_cap, alias_count, alias_cap, landmark_count, landmark_cap;
    struct olv_error error; /* why not all are known; no run begins with such a guard */
};

/* Adds a directory or file, following links in its path; a missing one needs no guard. */
void olv_guard_add(struct olv_guard *guard, const char *path);

/* Call after adding all places: finds other mounts that show them or system directories. */
void olv_guard_find_aliases(struct olv_guard *guard);
void olv_guard_free(struct olv_guard *guard);

/* Adds the root and every home directory known to this machine: they are never removed, moved or overwritten
 * themselves, though their contents may be. */
void olv_guard_add_landmarks(struct olv_guard *guard);
/* By hand also the working directory and all above it. */
void olv_guard_add_here(struct olv_guard *guard);

/* Whether this is one of Olvido's own places or files, by file system and inode, whatever the name or mount.
 */
bool olv_guard_is_own(const struct olv_guard *guard, uint64_t device, uint64_t inode);
/* What this landmark is, in words: "the root", "your home", "a home directory", "the working directory";
 * NULL: it is none. `guard` may be NULL. */
const char *olv_guard_landmark(const struct olv_guard *guard, uint64_t device, uint64_t inode);
/* What protects an absolute canonical path and everything below it. */
enum olv_barrier { OLV_NO_BARRIER, OLV_SYSTEM_PLACE, OLV_OWN_PLACE };
/* Also if the path leads into such a place through another mount. `guard` may be NULL. */
enum olv_barrier olv_guard_of(const struct olv_guard *guard, const char *path);
/* What is protected so: "in a system directory"; NULL for OLV_NO_BARRIER. */
const char *olv_barrier_words(enum olv_barrier barrier);
/* What a file or directory of its own device and inode is: "one of Olvido's own files". */
extern const char olv_guard_own_words[];

#endif
