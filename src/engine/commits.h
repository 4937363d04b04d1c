/* SPDX-License-Identifier: Apache-2.0 */
/* What must be on the disk between two batches is brought there in a thread of its own, beside the acts of
 * the batch between them: what the batch before it touched; the docket segment of the batch after it; and the
 * ledger's lines, which are the outcomes of the one and the intent of the other. */
#ifndef OLV_ENGINE_COMMITS_H
#define OLV_ENGINE_COMMITS_H

#include "engine/recorder.h"
#include "engine/run.h"
#include "file/touched.h"

struct commits;

/* NULL without memory; without a thread everything is done at once. Borrows both. */
struct commits *commits_new(struct olv_run *run, struct recorder *recorder);
/* Begins one, after the one before was waited for and the recorder was told to collect its lines. Takes over
 * what was touched; borrows the segment, NULL for none, until the wait. */
void commits_begin(struct commits *commits, struct touched *touched, const struct olv_text *segment,
                   uint64_t batch);
bool commits_wait(struct commits *commits, struct olv_error *err);
void commits_free(struct commits *commits);

#endif
