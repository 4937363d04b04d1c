/* SPDX-License-Identifier: Apache-2.0 */
/* A thread makes durable what is needed between batches, while the next batch runs: what the last batch
 * touched, the docket segment of the batch after it, and the ledger's lines: outcomes of the one and intent
 * of the other. */
#ifndef OLV_ENGINE_COMMITS_H
#define OLV_ENGINE_COMMITS_H

#include "engine/recorder.h"
#include "engine/run.h"
#include "file/touched.h"

struct commits;

/* A segment in the docket, which is written as it is read there: page by page. */
struct segment {
    const struct olv_spool *docket; /* borrowed */
    uint64_t at, until;             /* where it begins and ends there */
    uint8_t digest[OLV_SHA256_SIZE];
};

/* NULL without memory; without a thread everything is done at once. Borrows both. */
struct commits *commits_new(struct olv_run *run, struct recorder *recorder);
/* Starts one, after waiting for the previous one and after recorder_collect. Takes over what was touched;
 * borrows the segment (NULL: none) until the wait. */
void commits_begin(struct commits *commits, struct touched *touched, const struct segment *segment,
                   uint64_t batch);
bool commits_wait(struct commits *commits, struct olv_error *err);
void commits_free(struct commits *commits);

#endif
