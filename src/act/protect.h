/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by protect and unprotect. */
#ifndef OLV_ACT_PROTECT_H
#define OLV_ACT_PROTECT_H

#include "source/hooks.h"

struct unprotect_arguments {
    bool anyway;     /* also what Olvido did not set */
    const char *run; /* only what was set in this one; "": whatever was */
};

/* Opens it, compares it with what was judged, and says on failure. -1. */
int protect_open(const struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* A directory comes after, or before, all that is in it; and of what has other names an earlier turn must be
 * known. */
bool protect_is_alone(const struct olv_docket_entry *entry);
/* Its ctime after the change, and the change itself, for the record. */
void protect_mark(const struct turn *turn, int fd, struct olv_outcome *outcome);
/* After a crash, of a file that looks as if the act was done: whether it was we who did it. Its ctime is not
 * later than the run's last sign of life, or the act's own trace tells. */
enum olv_truth protect_was_ours(const struct turn *turn, const struct olv_stat *stat);
/* For hooks of several: what was changed is on disk before it is recorded. */
void protect_sync(struct turn *turn, const struct group *group);

#endif
