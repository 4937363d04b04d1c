/* SPDX-License-Identifier: Apache-2.0 */
/* What becomes of outcomes: they are counted, told, and handed to the ledger's thread. */
#ifndef OLV_ENGINE_OUTCOMES_H
#define OLV_ENGINE_OUTCOMES_H

#include "engine/batch.h"

/* An outcome that nobody set is a failure. */
void outcomes_add(struct carrying *carrying, const struct olv_docket_entry *entry,
                  struct olv_outcome *outcome);
/* Something that was counted as done by this act has failed after all. */
void outcomes_failed_late(struct carrying *carrying, const struct olv_act *act, const char *path,
                          const struct olv_error *why);

/* Brings to the disk which steps files have had; a failure is only told. */
void outcomes_remember(struct olv_run *run);

#endif
