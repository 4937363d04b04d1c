/* SPDX-License-Identifier: Apache-2.0 */
/* Paths named by hand as a source: files, and all that lies in trees, in the order of their directories and
 * names. */
#ifndef OLVIDO_NAMED_H
#define OLVIDO_NAMED_H

#include "olvido/docket.h"
#include "olvido/guard.h"
#include "olvido/observer.h"
#include "olvido/policy.h"

struct olv_named_options {
    unsigned kinds; /* bits 1 << enum olv_kind: what is taken; directories are gone through in any case, and
                       come last, the innermost first */
    /* Whether a file that lies in a named tree is taken; one that is named itself always is. NULL: yes. */
    bool (*takes)(const char *name);
    const struct olv_act *act;
    enum olv_if_exists if_exists;
    struct olv_manner manner;
    const struct olv_guard *guard; /* what it forbids is told to the observer, and counted */
};

struct olv_named {
    uint64_t files, bytes;     /* in the docket; everything but directories counts as a file */
    uint64_t directories;      /* that were named */
    uint64_t readonly, others; /* files of those that nobody may write, or that belong to another user */
    uint64_t troubles;         /* places that could not be read, and paths that are not there */
    uint64_t guarded;
    struct olv_spool *docket;
};

/* The paths as they were typed. False without memory, when interrupted, or when the docket cannot be written.
 * Free it in any case. */
bool olv_named_make(const char *const *paths, size_t count, const struct olv_named_options *options,
                    const struct olv_observer *observer, struct olv_named *out, struct olv_error *err);
void olv_named_free(struct olv_named *named);

/* Fill `manner->codec`, `->into` (borrowed from `path`) and `->depot`. False where the archive can have no
 * such name, where one of that name is there, or without the directory that it is to lie in. */
/* An archive at this path. */
bool olv_named_archive(struct olv_manner *manner, const char *to, struct olv_text *path,
                       struct olv_error *err);
/* One in this depot, "by-hand-20261123-2036.tar.zst", packed as `pack` says (NULL: as the depot's are). */
bool olv_named_archive_in(struct olv_manner *manner, const struct olv_depot *depot, const char *pack,
                          struct olv_text *path, struct olv_error *err);

#endif
