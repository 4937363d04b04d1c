/* SPDX-License-Identifier: Apache-2.0 */
/* What is named by hand as a source: files, directories, everything in trees, what fits a pattern. */
#ifndef OLVIDO_NAMED_H
#define OLVIDO_NAMED_H

#include "olvido/docket.h"
#include "olvido/expr.h"
#include "olvido/guard.h"
#include "olvido/hold.h"
#include "olvido/observer.h"
#include "olvido/pattern.h"
#include "olvido/policy.h"

struct olv_named_options {
    unsigned kinds; /* bits 1 << enum olv_kind: what is taken */
    /* Whether a file in a named tree is taken; a file that is named itself always is. NULL: yes. */
    bool (*takes)(const char *name);
    enum olv_named_directories {
        OLV_ENTER_DIRECTORIES, /* what is in them is taken one by one, and themselves last, if `kinds` has
                                  them */
        OLV_WHOLE_DIRECTORIES, /* with all that is in them; one by one with a statement */
        OLV_NO_DIRECTORIES,    /* they are left */
        OLV_DIRECTORIES_ALONE, /* themselves, and nothing that is in them */
        OLV_EMPTY_DIRECTORIES  /* only empty ones, from the bottom up, each by itself; nothing else */
    } directories;
    bool is_marked; /* only attributes of files and directories change */
    bool is_lifted; /* then: in trees, only what shows a level, or what `reg` knows of; that may be NULL */
    struct olv_register *reg;
    bool is_top_down; /* then: directories come before what is in them */
    bool is_removed; /* what is taken leaves its place: what stands in the way is looked for, told and left */
    bool upwards; /* also the directories above: of OLV_EMPTY_DIRECTORIES, as far as they are empty then; of
                     what is marked, up to the first that is guarded, a home or a mount point */
    bool only_contents; /* the named directories stay, and what is in them is named instead */
    /* What is named is what fits one of these, in the named directories or, without any, in the working
     * directory; without a slash, right in them. NULL: the names themselves. */
    struct olv_pattern *const *matching;
    size_t matching_count;
    const struct olv_expr *where; /* only what it matches, in trees, too; NULL: everything */
    const struct olv_act *act;
    enum olv_if_exists if_exists;
    const void *arguments;         /* of the act; see olvido/arguments.h */
    const struct olv_guard *guard; /* what it forbids is reported to the observer and counted */
    const struct olv_holds *holds; /* NULL: nothing is held */
};

struct olv_named {
    uint64_t files, bytes;     /* in the docket; everything except directories counts as a file */
    uint64_t entries, goes;    /* of the docket; directories in it */
    uint64_t directories;      /* directories given by name */
    uint64_t readonly, others; /* of what is in the docket: nobody may write them; another user owns them */
    uint64_t caught, caught_hidden, caught_directories; /* names that fit a pattern, and of those */
    uint64_t troubles;      /* places that could not be read, and paths that do not exist */
    uint64_t guarded, left; /* left because of a guard, or because something stands in the way */
    bool is_mount_emptied;
    /* The directory of which every visible entry is named, if it is one that nobody empties lightly; else
     * NULL. Owned. */
    char *everything;
    const char *everything_is; /* "your home" */
    struct olv_spool *docket;
};

/* `paths` as typed: each is exactly one name. False when memory runs out, when interrupted, or if the docket
 * cannot be written. Free it in any case. */
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
