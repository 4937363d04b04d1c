/* SPDX-License-Identifier: Apache-2.0 */
/* Directories that a rule owns, judged as a whole: one is as old as the youngest entry within, and spared by
 * anything inside that is kept, held, in use, or owned by another rule. */
#ifndef OLV_RUN_WHOLE_H
#define OLV_RUN_WHOLE_H

#include "run/judging.h"

struct whole {
    uint64_t mount, inode;
    enum olv_reason reason; /* of those with a step whose time has come, or an odd time */
    uint32_t rule, step;
    struct olv_instant since;
    uint64_t own_size; /* of the directory itself */
    struct olv_contents contents;
};

struct wholes;
/* Walks all that the policy is about, and keeps a verdict for every directory with a step whose time has
 * come; memory grows with their number. NULL with `err`. */
struct wholes *wholes_find_all(const struct judging *judging, const struct olv_observer *observer,
                               struct olv_error *err);
/* NULL: no step's time has come for it. */
const struct whole *wholes_find(const struct wholes *wholes, const struct olv_stat *stat);
void wholes_free(struct wholes *wholes);

#endif
