/* SPDX-License-Identifier: Apache-2.0 */
/* Before the first batch: what a docket wants to have in archives is put there. Only copies are made, so no
 * intent is needed for it; the originals go in the batches, each in its turn. */
#ifndef OLV_RUN_GATHER_H
#define OLV_RUN_GATHER_H

#include "run/run.h"

/* Whether a docket has something for an archive. Rewinds it. */
bool gather_is_needed(struct olv_spool *docket, bool *is_needed, struct olv_error *err);
/* Makes the archives, and notes in the run what became of each entry. An archive that fails is the failure of
 * its entries; false when the run itself cannot go on. */
bool gather_archives(struct olv_run *run, struct olv_spool *docket, struct olv_error *err);

#endif
