/* SPDX-License-Identifier: Apache-2.0 */
/* Judges directories that a rule owns as a whole: a directory is as old as its youngest entry, and spared by
 * anything inside that is kept, held, in use, or owned by another rule. */
#ifndef OLV_JUDGE_WHOLE_H
#define OLV_JUDGE_WHOLE_H

#include "judge/summary.h"
#include "olvido/plan.h"
#include "olvido/text.h"

struct whole {
    uint64_t mount, inode;
    enum olv_reason reason; /* of those with a step whose time has come, or an odd time */
    uint32_t rule, step;
    struct olv_instant start; /* of counting */
    struct olv_contents contents;
};

struct wholes;
/* Walks everything the policy is about, and keeps a verdict for every directory with a step whose time has
 * come; memory grows with their number. NULL with `err`. */
struct wholes *wholes_find_all(const struct judging *judging, const struct olv_observer *observer,
                               struct olv_error *err);
/* The files in directories that a rule owns, each counted once: those of the outermost ones. */
const struct olv_tally *wholes_owned(const struct wholes *wholes, uint32_t rule);
/* NULL: no step's time has come for it. */
const struct whole *wholes_find(const struct wholes *wholes, const struct olv_stat *stat);

/* What a walk finds out about one path. */
struct whole_view {
    bool is_directory;      /* and reached by the walk; then: */
    struct summary summary; /* of its contents */
    struct olv_verdict verdict;
    struct olv_text goes_with; /* the outermost directory around it that goes as a whole; empty: none */
    struct olv_verdict goes;   /* then: the verdict on that directory */
};
/* Walks only what is needed to judge `path`, which lies in this root. The caller frees `goes_with`. */
bool wholes_look(const struct judging *judging, uint32_t root, const char *path, struct whole_view *out,
                 const struct olv_observer *observer, struct olv_error *err);

void wholes_free(struct wholes *wholes);

#endif
