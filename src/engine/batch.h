/* SPDX-License-Identifier: Apache-2.0 */
/* The acts of one batch, whose intent is on the disk. */
#ifndef OLV_ENGINE_BATCH_H
#define OLV_ENGINE_BATCH_H

#include "engine/ahead.h"
#include "engine/recorder.h"
#include "engine/run.h"
#include "file/touched.h"

/* What is so of a batch. Each follows the one before it; whatever is asked to be done out of turn is not
 * done. */
enum batch_state {
    BATCH_NONE,     /* there is none */
    BATCH_COMPOSED, /* its segment is in memory: nothing is known of it outside */
    BATCH_INTENDED, /* its segment is on the disk, and the line of the ledger that commits to it */
    BATCH_APPLIED,  /* its acts are called, and their outcomes go to the recorder */
    BATCH_SYNCED,   /* what its acts touched is on the disk */
    BATCH_RECORDED  /* and its outcomes are */
};

struct batch {
    enum batch_state state;
    struct olv_text segment; /* its entries, */
    uint32_t entries;        /* so many */
    long mark;               /* where in the docket the segment begins */
};

/* What was made for entries that have one key; a group may go on in the next batch. */
struct keyed {
    const struct hooks *hooks;
    struct olv_text key, scratch;
    uint64_t first, until; /* of their entries within the run, and behind the last */
    bool is_bound;         /* they have their turns even if the run is to stop */
};

/* What the batches of a run have in common. */
struct carrying {
    struct olv_run *run;
    struct olv_run_result *result;
    struct recorder *recorder;
    struct ahead *ahead;      /* NULL: nothing is prepared */
    uint64_t batch;           /* the number of the one under way or done last, from 1 */
    int trace;                /* see trace.h; -1: none */
    struct olv_spool *docket; /* from which it comes, */
    long batch_mark;          /* and where in it */
    struct keyed keyed;
    struct touched touched; /* by that one, and not yet handed on */
};

/* From one state to the next. False with `err` where it is in another one: that is a mistake in the engine,
 * and the run ends before anything is touched. */
bool batch_goes(struct batch *batch, enum batch_state from, enum batch_state to, struct olv_error *err);
/* Looks whether the user has interrupted; from then on it stays so. */
bool carrying_is_interrupted(struct carrying *carrying);
/* Carries out an intended batch, which is applied then: its outcomes are with the recorder, and what must be
 * on the disk before they are is in `touched`. False when the run cannot go on. */
bool batch_do(struct carrying *carrying, struct batch *batch, struct olv_error *err);

#endif
