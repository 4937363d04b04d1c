/* SPDX-License-Identifier: Apache-2.0 */
/* The trashes as a source: finding items in them, and making a docket of what is to become of them. */
#ifndef OLVIDO_ITEMS_H
#define OLVIDO_ITEMS_H

#include "olvido/depot.h"
#include "olvido/docket.h"
#include "olvido/trash.h"

struct olv_item_query {
    /* What to look for; absolute where it has a slash. One with a slash fits an item that was at this path,
     * below it, or at a path that it matches as a pattern; one without fits by the last component. None:
     * everything. */
    const char *const *patterns;
    size_t pattern_count;
    const char *run;                 /* only what this run discarded; or NULL */
    bool only_ours;                  /* only what Olvido discarded */
    struct olv_catalogue *catalogue; /* what lies in depots, too; NULL: only trashes */
    bool has_since, has_until;       /* only what was discarded at or after, and before these */
    struct olv_instant since, until;
    bool has_as_of; /* recovering: of each path what it was at this time, which is the version that was
                       modified last by then */
    struct olv_instant as_of;
    bool wants_versions; /* recovering: not only one version of each path */
    /* What the docket is for. */
    const struct olv_act *act;    /* one that gives back: the newest version of each path; else all */
    enum olv_if_exists if_exists; /* recovering */
    const char *into;             /* recovering: an absolute path; NULL: back to where it was */
    uint32_t rule, step;          /* of the policy, for the docket; OLV_BY_HAND and 0 by hand */
    const char *rule_name;        /* "" by hand */
};

struct olv_found_item {
    const char *path;              /* where it was; "" where that is not known */
    const char *target;            /* recovering: where it goes to */
    const char *item;              /* its name in the trash */
    const struct olv_trash *trash; /* NULL: it lies in a depot */
    const char *depot;             /* then: its name; else "" */
    enum olv_trash_state state;
    struct olv_instant deleted, modified;
    uint64_t size_bytes;
    enum olv_kind kind;
    uint64_t older_versions; /* recovering: of the same path, which stay where they are */
};

/* Calls `each` in the order of the paths, and adds each to the docket (which may be NULL). */
bool olv_items_find(struct olv_trashes *trashes, const struct olv_item_query *query, struct olv_spool *docket,
                    void (*each)(void *self, const struct olv_found_item *found), void *self,
                    struct olv_error *err);

#endif
