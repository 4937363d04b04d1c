/* SPDX-License-Identifier: Apache-2.0 */
/* The acts of one batch, whose intent is durable. */
#ifndef OLV_ENGINE_BATCH_H
#define OLV_ENGINE_BATCH_H

#include "engine/ahead.h"
#include "engine/commits.h"
#include "engine/recorder.h"
#include "engine/run.h"
#include "file/touched.h"

/* The states of a batch, in their order. Anything out of order is refused. */
enum batch_state {
    BATCH_NONE,     /* no batch */
    BATCH_COMPOSED, /* its segment is in memory only */
    BATCH_INTENDED, /* its segment and the ledger line that commits to it are on disk */
    BATCH_APPLIED,  /* its acts have been called, and the recorder has their outcomes */
    BATCH_SYNCED,   /* what its acts touched is on disk */
    BATCH_RECORDED  /* its outcomes are on disk */
};

struct batch {
    enum batch_state state;
    struct segment segment;
    uint32_t entries;
};

/* What was made for entries with the same key; the group may continue in the next batch. */
struct keyed {
    const struct hooks *hooks;
    struct olv_text key, scratch;
    uint64_t first, until; /* numbers of its first entry in the run, and of the one after its last */
    bool is_bound;         /* they get their turns even if the run stops */
};

/* What the batches of a run share. */
struct carrying {
    struct olv_run *run;
    struct olv_run_result *result;
    struct recorder *recorder;
    struct ahead *ahead; /* NULL: nothing is prepared */
    uint64_t batch;      /* number of the current or last batch, from 1 */
    int trace;           /* see trace.h; -1: none */
    struct commits *commits;
    struct olv_spool *docket; /* its source, */
    uint64_t page_at;         /* and the position of the current page there */
    struct keyed keyed;
    struct lanes *lanes; /* NULL: none were needed yet, or there are none */
    bool has_tried_lanes;
    uint64_t went, stayed;  /* entries, for whoever is told of obstacles */
    struct touched touched; /* touched by this batch, and not handed on yet */
};

/* Moves to the next state. False with `err` if it is in another one: a bug in the engine, and the run ends
 * before anything is touched. */
bool batch_goes(struct batch *batch, enum batch_state from, enum batch_state to, struct olv_error *err);
/* Whether the user has interrupted; stays true from then on. */
bool carrying_is_interrupted(struct carrying *carrying);
/* Applies an intended batch: the recorder gets its outcomes, and `touched` what must be on disk before them.
 * Between two of its pages, that of the first is made durable, and its outcomes are: so memory holds those of
 * two pages at most. False if the run cannot go on. */
bool batch_do(struct carrying *carrying, struct batch *batch, struct olv_error *err);

#endif
