/* SPDX-License-Identifier: Apache-2.0 */
/* Outcomes are counted, reported, and handed to the ledger's thread. */
#ifndef OLV_ENGINE_OUTCOMES_H
#define OLV_ENGINE_OUTCOMES_H

#include "engine/batch.h"

/* An outcome that nobody set is a failure. */
void outcomes_add(struct carrying *carrying, const struct olv_docket_entry *entry,
                  struct olv_outcome *outcome);
/* Something that this act counted as done has failed after all. */
void outcomes_failed_late(struct carrying *carrying, const struct olv_act *act, const char *path,
                          const struct olv_error *why);

/* Notes that an act was done which the file outlives, or that it gains nothing from it: then it is not done
 * again. If that cannot be noted, a later run tries again. */
void outcomes_note(struct olv_run *run, const struct olv_docket_entry *entry,
                   const struct olv_outcome *outcome);
/* Makes that durable; a failure is only reported. */
void outcomes_remember(struct olv_run *run);

#endif
