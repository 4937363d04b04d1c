/* SPDX-License-Identifier: Apache-2.0 */
/* What compress and decompress share: a proven new file takes the place of the original. */
#ifndef OLV_ACT_SHRINKS_H
#define OLV_ACT_SHRINKS_H

#include "act/acts.h"
#include "shrink/shrink.h"
#include "source/proven.h"

/* How either is done. */
struct shrink_arguments {
    int codec, level;    /* compress */
    bool keeps;          /* the original stays */
    uint64_t most_bytes; /* decompress: the largest it may become; 0: no limit was given */
};

/* One of the two; `own` of the hooks points to it. */
struct shrinks {
    bool packs; /* compresses; otherwise decompresses */
    /* The name of the new file; false with `err` if it cannot have one. */
    bool (*name)(const struct olv_docket_entry *entry, char *out, size_t size, struct olv_error *err);
    bool (*write)(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);
};

/* One entry in progress. */
struct shrinking {
    struct proven new; /* first member */
    const struct shrinks *way;
    struct shrink_task task;
    const struct shrink_arguments *how;
    struct olv_reach source;    /* its directory */
    char label[FRESH_LABEL];    /* of the new file */
    char wanted[NAME_MAX + 64]; /* the name that the new file should get */
    bool is_noted;              /* it carries a note of what it was */
};

bool shrinks_make(struct turn *turn, struct group *group, struct olv_error *err);
void shrinks_apply(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
void shrinks_complete(struct turn *turn, const struct group *group);
void shrinks_drop(const struct group *group);
enum olv_truth shrinks_applied(struct turn *turn, const struct olv_docket_entry *entry,
                               struct olv_outcome *outcome);

/* The hooks of a `struct shrinks`. */
#define SHRINKS_HOOKS(way)                                                                                   \
    {                                                                                                        \
        .needs = NEEDS_REGISTER, .own = &(way), .takes_several = true, .make_group = shrinks_make,           \
        .apply = shrinks_apply, .apply_group = shrinks_complete, .free_group = shrinks_drop,                 \
        .applied = shrinks_applied                                                                           \
    }

#endif
