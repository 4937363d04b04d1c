/* SPDX-License-Identifier: Apache-2.0 */
/* The trashes and depots as a source: finds items, and makes a docket for them. */
#ifndef OLVIDO_ITEMS_H
#define OLVIDO_ITEMS_H

#include "olvido/depot.h"
#include "olvido/docket.h"
#include "olvido/pattern.h"
#include "olvido/trash.h"

struct olv_item_query {
    /* What to look for: items whose original path, or a directory above it, fits one of these. No patterns:
     * everything. */
    struct olv_pattern *const *patterns;
    size_t pattern_count;
    const char *run; /* only what this run discarded; or NULL */
    bool only_ours;  /* only what Olvido discarded */
    bool (*skips)(void *self, struct olv_trash *trash, const struct olv_trash_item *item); /* NULL: none */
    void *skipping;
    struct olv_catalogue *catalogue; /* also what lies in depots; NULL: only trashes */
    bool has_since, has_until; /* only what was discarded at or after the first, and before the second */
    struct olv_instant since, until;
    bool has_as_of; /* recovering: each path as it was at this time: the version last modified by then */
    struct olv_instant as_of;
    bool wants_versions; /* recovering: every version of each path, not only one */
    /* What the docket is for. */
    const struct olv_act *act;    /* recovering: the newest version of each path; else all */
    const void *arguments;        /* of the act; NULL if it has none */
    enum olv_if_exists if_exists; /* recovering */
    const char *into;             /* recovering: an absolute path; NULL: back to its original place */
    uint32_t rule, step;          /* rule and step for the docket; OLV_BY_HAND and 0 by hand */
    const char *rule_name;        /* "" by hand */
    const struct olv_observer
        *observer; /* recovering: told of what has too long a path there; NULL: nobody */
};

struct olv_found_item {
    const char *path;              /* its original path; "" if unknown */
    const char *target;            /* recovering: where it goes */
    const char *item;              /* its name in the trash */
    const struct olv_trash *trash; /* NULL: it lies in a depot */
    const char *depot;             /* then the depot's name; else "" */
    enum olv_trash_state state;
    struct olv_instant deleted, modified;
    uint64_t size_bytes; /* of a directory, of everything in it */
    uint64_t files;      /* 1; of a directory, the files in it; 0 if there is nothing left of it */
    enum olv_kind kind;
    uint64_t older_versions; /* recovering: older ones of the same path, which stay */
};

/* Calls `each` in path order, and adds each item to the docket (may be NULL). */
bool olv_items_find(struct olv_trashes *trashes, const struct olv_item_query *query, struct olv_spool *docket,
                    void (*each)(void *self, const struct olv_found_item *found), void *self,
                    struct olv_error *err);

#endif
