/* SPDX-License-Identifier: Apache-2.0 */
/* The acts of one batch, whose intent is on the disk. */
#ifndef OLV_ENGINE_BATCH_H
#define OLV_ENGINE_BATCH_H

#include "engine/ahead.h"
#include "engine/recorder.h"
#include "engine/run.h"
#include "file/touched.h"

/* What the batches of a run have in common. */
struct carrying {
    struct olv_run *run;
    struct olv_run_result *result;
    struct recorder *recorder;
    struct ahead *ahead;      /* NULL: nothing is prepared */
    uint64_t batch;           /* the number of the one under way or done last, from 1 */
    int trace;                /* see trace.h; -1: none */
    struct olv_spool *docket; /* from which it comes, */
    long mark;                /* and where in it its segment begins */
    struct touched touched;   /* by that one, and not yet handed on */
};

/* Looks whether the user has interrupted; from then on it stays so. */
bool carrying_is_interrupted(struct carrying *carrying);
/* Carries out the next batch. Its outcomes are with the recorder then, and what must be on the disk before
 * they are is in `touched`. False when the run cannot go on. */
bool batch_do(struct carrying *carrying, const struct olv_segment_writer *segment, struct olv_error *err);

#endif
