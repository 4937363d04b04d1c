/* SPDX-License-Identifier: Apache-2.0 */
/* Carrying a docket out: lock, batches, intent before act, outcome after it, all in the ledger. */
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
    const char *state; /* path of the state directory; made on the first use */
    const char *trash; /* path of the home trash; it and others are opened (and made) where an act needs them;
                          or NULL */
    const char *command;             /* for the ledger */
    const struct olv_policy *policy; /* NULL by hand */
    const struct olv_guard *guard;
    const struct olv_holds *holds;       /* asked again right before each act; NULL: nothing is held */
    const struct olv_observer *observer; /* failures of single files are told to it */
};

/* Opens everything and settles a run that was cut short. NULL with OLV_STATE or OLV_BROKEN: nothing was
 * touched. */
struct olv_run *olv_run_open(const struct olv_run_options *options, struct olv_error *err);
/* The run's id: date, time (UTC) and four random letters. */
const char *olv_run_id(const struct olv_run *run);
/* How many files of an earlier, cut-short run were settled while opening. */
uint64_t olv_run_settled(const struct olv_run *run);
/* Of how many of them nothing told what had become of them. */
uint64_t olv_run_settled_unknown(const struct olv_run *run);
/* What an unattended run needs to know beforehand of acts that cannot be taken back. `in_notice` gets one
 * answer for each rule, and one for the policy's `trash`: whether it is too new. `clock_doubt`: why the clock
 * is not to be believed, or NULL. An attended run calls it, too: it is where the rules and the clock are
 * noted. */
bool olv_run_examine(struct olv_run *run, const struct olv_policy *policy, bool is_unattended,
                     bool *in_notice, const char **clock_doubt, struct olv_error *err);
/* Makes sure, before anybody is asked anything, that at least one of these mounts has a trash: files on one
 * without fail one by one. False with OLV_STATE. */
bool olv_run_prepare(struct olv_run *run, const uint64_t *mounts, size_t count, struct olv_error *err);
void olv_run_close(struct olv_run *run);

struct olv_run_result {
    uint64_t done, done_bytes; /* acted upon */
    struct olv_done {
        uint64_t files, bytes;
        uint64_t packed_bytes; /* what was packed or unpacked takes now */
    } by_act[OLV_ACTS_MOST];   /* the same, act by act: by its number in dockets */
    uint64_t told;
    uint64_t left;     /* spared: changed, gone or guarded meanwhile, or not reached before an interrupt */
    uint64_t declined; /* not approved, so never in a batch */
    uint64_t refused;  /* its place is taken; nothing was touched */
    uint64_t failed;
    bool has_begun; /* the ledger has it; else nothing was touched */
    bool is_interrupted;
    bool is_complete; /* the whole docket was gone through and its record is on the disk */
};

/* Who says of each entry of the docket whether it may be carried out. */
struct olv_approval {
    /* Called for each entry before the first act; may set its `if_exists`. */
    bool (*approve)(void *self, struct olv_docket_entry *entry);
    void *self;
};

/* Carries the docket out, batch by batch; without an approval (NULL) all of it. False when the run itself
 * could not go on (the ledger, the docket); what was done until then is in the result and, as far as that was
 * possible, in the ledger. */
bool olv_run_carry_out(struct olv_run *run, struct olv_spool *docket, const struct olv_approval *approval,
                       struct olv_run_result *result, struct olv_error *err);

#endif
