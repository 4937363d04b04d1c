/* SPDX-License-Identifier: Apache-2.0 */
/* The half of a session that acts, shared by opening (open.c), settling (settle.c), carrying out (carry.c)
 * and batches (batch.c). */
#ifndef OLV_ENGINE_RUN_H
#define OLV_ENGINE_RUN_H

#include "act/archive_made.h"
#include "depot/catalogue.h"
#include "engine/emptying.h"
#include "engine/moves.h"
#include "file/changes.h"
#include "file/touched.h"
#include "ledger/ledger.h"
#include "os/os.h"
#include "state/register.h"
#include "state/state.h"

#include <pthread.h>

/* What hooks keep for the whole run. */
struct kept {
    const struct hooks *hooks;
    const struct olv_act *act;
    void *state;
};

struct olv_run {
    struct olv_session *session; /* borrowed */
    struct state state;
    struct olv_ledger *ledger;
    struct turn turn;
    struct kept kept[OLV_ACTS_MOST];
    size_t kept_count;
    struct archive_made *beside; /* archives that it published outside depots; owned, and so is `path` */
    size_t beside_count, beside_cap;
    char id[OLV_RUN_ID_SIZE];
    const char *clock_doubt; /* why the clock is doubtful; NULL: it is not */
    bool has_noted_clock;
    uint64_t settled, settled_unknown;
    struct changes changes;
    struct emptying emptying;
    pthread_mutex_t asking;        /* the register, by several threads */
    int directory;                 /* runs/ID while carrying out; otherwise -1 */
    struct moves moves;            /* that it announces */
    struct olv_text settled_moves; /* that the run being settled announced */
};

/* Opens everything and settles runs that were cut short. NULL with OLV_STATE or OLV_BROKEN: nothing was
 * touched. */
struct olv_run *run_open(struct olv_session *session, struct olv_error *err);
void run_close(struct olv_run *run);
/* See olv_session_carry_out. */
bool run_carry_out(struct olv_run *run, struct olv_spool *docket, const struct olv_approval *approval,
                   struct olv_run_result *result, struct olv_error *err);
/* Chooses an id: the time to the minute, and random letters. */
bool run_make_id(struct olv_run *run, struct olv_error *err);
/* The name of a batch's docket segment in runs/ID: "000001.docket". */
void run_segment_name(char out[32], uint64_t batch);
/* The path for the ledger: the entry's destination, or where it is. Valid until the next turn. */
const char *run_path_of(struct olv_run *run, const struct olv_docket_entry *entry);
/* The time, or 0 if the clock is doubtful: then nothing expires. */
struct olv_instant run_credible_now(const struct olv_run *run);
/* Starts the turn of this entry's hooks, with what they keep. */
void run_take_turn(struct olv_run *run, const struct olv_docket_entry *entry);
/* Frees what all hooks keep. */
void run_close_states(struct olv_run *run);
/* Finds the trash for this entry, if its act needs one; its directory is open. */
bool run_find_trash(struct olv_run *run, const struct hooks *hooks, const struct olv_docket_entry *entry,
                    struct olv_error *err);
/* The path of the last used trash, unless it is the home trash; then "". */
const char *run_trash_place(const struct olv_run *run, const struct hooks *hooks);
/* Write what was collected of the ledger, also while others add to it; all of it; and sign it. They use the
 * reserve if the disk is full. */
bool run_write(struct olv_run *run, struct olv_error *err);
bool run_sync(struct olv_run *run, struct olv_error *err);
bool run_checkpoint(struct olv_run *run, struct olv_error *err);
/* The register and the catalogue: opened with the run if they exist, and created on first need, from the
 * reserve if the disk is full. NULL with `err`; ENOENT if there is none and `use` does not create it. Owned
 * by the session. */
struct olv_register *run_register(struct olv_run *run, enum database_use use, struct olv_error *err);
struct olv_catalogue *run_catalogue(struct olv_run *run, enum database_use use, struct olv_error *err);
/* Clears archives that a run did not finish, retries removing those that are to go, and completes the ledger
 * for those that exist. What cannot be done now is left for a later run. `of_run` is the cut-short run whose
 * lines these become; "": none. False with `err` if the ledger cannot be written. */
bool run_clear_archives(struct olv_run *run, const char *of_run, struct olv_error *err);
/* Adds a ledger line for each archive that has none yet. */
bool run_tell_archives(struct olv_run *run, const char *of_run, bool *any, struct olv_error *err);
/* Begin a run in the ledger and mark it open; end it there and mark it closed. */
bool run_begin(struct olv_run *run, struct olv_error *err);
bool run_end(struct olv_run *run, const struct olv_end_facts *facts, struct olv_error *err);
/* Settles the run that runs/open names, if any. */
bool run_settle(struct olv_run *run, struct olv_error *err);

#endif
