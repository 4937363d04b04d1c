/* SPDX-License-Identifier: Apache-2.0 */
/* What compress and decompress have in common: a new file beside the original, proven, in its place. */
#ifndef OLV_ACT_SHRINKS_H
#define OLV_ACT_SHRINKS_H

#include "act/act.h"
#include "shrink/shrink.h"

/* One entry under way. */
struct shrinking {
    struct shrink_task task;
    struct olv_how how;
    struct olv_reach source;    /* its directory */
    char label[FRESH_LABEL];    /* of the fresh file */
    char wanted[NAME_MAX + 64]; /* the name that the new file is to have */
    char placed[NAME_MAX + 1];  /* and the one that it got; "" before */
    struct olv_text into;       /* its path */
    bool is_noted;              /* what it was stands on the new file */
};

/* The name of the new file; false with `err` where there is none. */
typedef bool (*shrink_name)(const struct olv_docket_entry *entry, const struct olv_how *how, char *out,
                            size_t size, struct olv_error *err);
typedef bool (*shrink_write)(struct shrinker *shrinker, struct shrink_task *task, struct olv_error *err);

void shrinks_make(struct olv_act_context *context, const struct olv_group *group, shrink_name name,
                  shrink_write write);
void shrinks_apply(struct olv_act_context *context, const struct olv_docket_entry *entry,
                   struct olv_outcome *outcome);
void shrinks_complete(struct olv_act_context *context, const struct olv_group *group);
void shrinks_drop(const struct olv_group *group);
/* After a crash: see struct olv_act. */
enum olv_truth shrinks_settle(struct olv_act_context *context, const struct olv_docket_entry *entry,
                              shrink_name name, struct olv_outcome *outcome);

#endif
