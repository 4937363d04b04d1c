/* SPDX-License-Identifier: Apache-2.0 */
/* Paths given by hand as a source: files, and everything in trees, ordered by directory and name. */
#ifndef OLVIDO_NAMED_H
#define OLVIDO_NAMED_H

#include "olvido/docket.h"
#include "olvido/guard.h"
#include "olvido/observer.h"
#include "olvido/policy.h"

struct olv_named_options {
    unsigned kinds; /* bits 1 << enum olv_kind: what is taken; directories are always entered, and come last,
                       innermost first */
    /* Whether a file in a named tree is taken; a file that is named itself always is. NULL: yes. */
    bool (*takes)(const char *name);
    const struct olv_act *act;
    enum olv_if_exists if_exists;
    const void *arguments;         /* of the act; see olvido/arguments.h */
    const struct olv_guard *guard; /* what it forbids is reported to the observer and counted */
};

struct olv_named {
    uint64_t files, bytes;     /* in the docket; everything except directories counts as a file */
    uint64_t directories;      /* directories given by name */
    uint64_t readonly, others; /* of those files: nobody may write them; another user owns them */
    uint64_t troubles;         /* places that could not be read, and paths that do not exist */
    uint64_t guarded;
    struct olv_spool *docket;
};

/* `paths` as typed. False when memory runs out, when interrupted, or if the docket cannot be written. Free it
 * in any case. */
bool olv_named_make(const char *const *paths, size_t count, const struct olv_named_options *options,
                    const struct olv_observer *observer, struct olv_named *out, struct olv_error *err);
void olv_named_free(struct olv_named *named);

/* Where an archive by hand goes, as the argument `into` of the act that makes it. False if it cannot have
 * this name, if the name is taken, or if its directory is missing. */
/* At this path. */
bool olv_named_archive(const char *to, struct olv_text *path, struct olv_error *err);
/* In this depot, "by-hand-20261123-2036.tar.zst", packed as `pack` says (NULL: as the depot's archives). */
bool olv_named_archive_in(const struct olv_depot *depot, const char *pack, struct olv_text *path,
                          struct olv_error *err);

#endif
