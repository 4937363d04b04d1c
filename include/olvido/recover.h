/* SPDX-License-Identifier: Apache-2.0 */
/* Finding what can be taken back, and making a docket of it. */
#ifndef OLVIDO_RECOVER_H
#define OLVIDO_RECOVER_H

#include "olvido/docket.h"
#include "olvido/trash.h"

struct olv_recover_options {
    /* What to look for; absolute where it has a slash. One with a slash fits an item that was at this path,
     * below it, or at a path that it matches as a pattern; one without fits by the last component. None:
     * everything. */
    const char *const *patterns;
    size_t pattern_count;
    const char *run;   /* only what this run discarded, as the ledger in `state` tells; or NULL */
    const char *state; /* only used with `run` */
};

/* One thing to take back: the newest of all versions of its path. */
struct olv_recoverable {
    const char *path;
    const char *item; /* its name in the trash */
    struct olv_instant deleted;
    uint64_t size_bytes;
    enum olv_kind kind;
    uint64_t older_versions; /* of the same path, which stay where they are */
};

/* Calls `each` in the order of the paths, and adds each to the docket (which may be NULL). */
bool olv_recover_find(struct olv_trash *trash, const struct olv_recover_options *options,
                      struct olv_spool *docket, void (*each)(void *self, const struct olv_recoverable *found),
                      void *self, struct olv_error *err);

#endif
