/* SPDX-License-Identifier: Apache-2.0 */
/* Carries a docket out: lock, batches, intent before the act, outcome after it, all in the ledger. */
#ifndef OLVIDO_RUN_H
#define OLVIDO_RUN_H

#include "olvido/docket.h"
#include "olvido/guard.h"
#include "olvido/hold.h"
#include "olvido/observer.h"
#include "olvido/policy.h"

enum { OLV_RUN_ID_SIZE = 24 };

struct olv_run; /* the right to act: the locked state directory and its ledger */

struct olv_run_options {
    const char *state;   /* path of the state directory; created on first use */
    const char *trash;   /* path of the home trash; it and others are opened (and created) when an act needs
                            them; or NULL */
    const char *command; /* for the ledger */
    const struct olv_policy *policy; /* NULL by hand */
    const struct olv_guard *guard;
    const struct olv_holds *holds;       /* asked again right before each act; NULL: nothing is held */
    const struct olv_observer *observer; /* failures of single files are reported to it */
};

/* Opens everything and settles runs that were cut short. NULL with OLV_STATE or OLV_BROKEN: nothing was
 * touched. */
struct olv_run *olv_run_open(const struct olv_run_options *options, struct olv_error *err);
/* The run's id: date, time (UTC) and four random letters. */
const char *olv_run_id(const struct olv_run *run);
/* How many files of earlier, cut-short runs were settled while opening. */
uint64_t olv_run_settled(const struct olv_run *run);
/* For how many of them nothing tells whether they were done. */
uint64_t olv_run_settled_unknown(const struct olv_run *run);
/* What an unattended run must know before acts that cannot be taken back. `in_notice` gets one answer per
 * rule and one for the policy's `trash`: it is too new. `clock_doubt`: why the clock is doubtful, or NULL.
 * Attended runs call it, too: it records the rules and the clock, unless that is doubtful. */
bool olv_run_examine(struct olv_run *run, const struct olv_policy *policy, bool *in_notice,
                     const char **clock_doubt, struct olv_error *err);
/* Why the clock is doubtful: then no respite expires, and nothing is tidied. NULL: it is not. */
const char *olv_run_clock_doubt(const struct olv_run *run);
/* A person was asked about the clock, and says that it is right. */
bool olv_run_believe_clock(struct olv_run *run, struct olv_error *err);
/* Makes sure, before asking anybody, that at least one of these mounts has a trash: files on mounts without
 * one fail one by one. False with OLV_STATE. */
bool olv_run_prepare(struct olv_run *run, const uint64_t *mounts, size_t count, struct olv_error *err);
void olv_run_close(struct olv_run *run);

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
    uint64_t left;     /* spared: changed, gone or guarded meanwhile, or not reached before an interrupt */
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

/* Carries out the docket batch by batch, or all of it without an approval (NULL). False if the run itself
 * could not go on (the ledger, the docket); the result has what was done until then, and so has the ledger as
 * far as possible. */
bool olv_run_carry_out(struct olv_run *run, struct olv_spool *docket, const struct olv_approval *approval,
                       struct olv_run_result *result, struct olv_error *err);

#endif
