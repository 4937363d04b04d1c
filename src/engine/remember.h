/* SPDX-License-Identifier: Apache-2.0 */
/* Which steps files have had, remembered in the register where files cannot say it themselves. */
#ifndef OLV_ENGINE_REMEMBER_H
#define OLV_ENGINE_REMEMBER_H

#include "engine/run.h"

/* Notes what the outcome says is to last. What cannot be noted is tried again by a later run, and told. */
void remember_outcome(struct olv_run *run, const struct olv_docket_entry *entry,
                      const struct olv_outcome *outcome);
/* Brings to the disk what is to be remembered up to now; a failure is only told. */
void remember_store(struct olv_run *run);

#endif
