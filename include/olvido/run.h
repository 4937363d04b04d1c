/* SPDX-License-Identifier: Apache-2.0 */
/* A run carries a docket out: lock, batches, intent before the act, outcome after it, all in the ledger. */
#ifndef OLVIDO_RUN_H
#define OLVIDO_RUN_H

#include "olvido/docket.h"

enum { OLV_RUN_ID_SIZE = 24 };

/* The right to act: the locked state directory and its ledger. A session has one, or only looks. */
struct olv_run;

/* The run's id: date, time (UTC) and four random letters. */
const char *olv_run_id(const struct olv_run *run);
/* How many files of earlier, cut-short runs were settled while opening. */
uint64_t olv_run_settled(const struct olv_run *run);
/* For how many of them nothing tells whether they were done. */
uint64_t olv_run_settled_unknown(const struct olv_run *run);
/* Why the clock is doubtful: then no respite expires, and nothing is tidied. NULL: it is not. */
const char *olv_run_clock_doubt(const struct olv_run *run);
/* Makes sure, before asking anybody, that at least one of these mounts has a trash: files on mounts without
 * one fail one by one. False with OLV_STATE. */
bool olv_run_prepare(struct olv_run *run, const uint64_t *mounts, size_t count, struct olv_error *err);

/* The most frequent reasons why something was left. */
enum { OLV_REASONS_KEPT = 16 };
struct olv_left_reason {
    char what[160];
    uint64_t files;
};

struct olv_run_result {
    /* Files, those in directories included; a directory itself is none, but see `done_directories`. */
    uint64_t done, done_bytes; /* acted upon */
    uint64_t done_directories;
    struct olv_done {
        uint64_t files, bytes;
        uint64_t directories;  /* that went as a whole */
        uint64_t packed_bytes; /* current size of what was compressed or decompressed */
    } by_act[OLV_ACTS_MOST];   /* the same per act, by its number in dockets */
    uint64_t told;
    uint64_t left_before; /* named by hand, and left before anything was done */
    uint64_t left;        /* spared: changed, gone or guarded meanwhile, or not reached before an interrupt */
    uint64_t without_gain; /* of those, what would have changed nothing for the better */
    struct olv_left_reason reasons[OLV_REASONS_KEPT]; /* of what was left, as they came up; the last one
                                                         stands for all that found no room */
    size_t reason_count;
    uint64_t declined; /* not approved, so never in a batch */
    uint64_t refused;  /* the destination exists; nothing was touched */
    uint64_t failed;
    bool has_begun; /* it is in the ledger; otherwise nothing was touched */
    bool is_interrupted;
    bool is_complete; /* the whole docket was processed and its record is on disk */
};

/* Decides for each docket entry whether it may be carried out. */
struct olv_approval {
    /* Called for each entry before the first act; may set its `if_exists`. */
    bool (*approve)(void *self, struct olv_docket_entry *entry);
    void *self;
};

#endif
