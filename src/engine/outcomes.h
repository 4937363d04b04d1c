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

/* Makes durable which steps files have had; a failure is only reported. */
void outcomes_remember(struct olv_run *run);

#endif
