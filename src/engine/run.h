/* SPDX-License-Identifier: Apache-2.0 */
/* A run's own state, shared between opening it (open.c), settling (settle.c), carrying out (carry.c) and
 * its batches (batch.c). */
#ifndef OLV_ENGINE_RUN_H
#define OLV_ENGINE_RUN_H

#include "base/digest.h"
#include "base/notes.h"
#include "depot/catalogue.h"
#include "file/touched.h"
#include "ledger/ledger.h"
#include "olvido/run.h"
#include "os/os.h"
#include "source/hooks.h"
#include "state/register.h"
#include "state/state.h"

/* What hooks keep for the whole run. */
struct kept {
    const struct hooks *hooks;
    const struct olv_act *act;
    void *state;
};

struct olv_run {
    struct olv_run_options options;
    struct state state;
    struct olv_ledger *ledger;
    struct olv_notes notes;
    struct lender lender;
    struct lent lent;         /* the catalogue in it is the run's own; NULL: see run_catalogue */
    struct olv_register *reg; /* NULL: see run_register */
    struct turn turn;
    struct kept kept[OLV_ACTS_MOST];
    size_t kept_count;
    struct archive_made *beside; /* archives that it published, but in no depot; owned, with `path` */
    size_t beside_count, beside_cap;
    char id[OLV_RUN_ID_SIZE];
    uint64_t settled, settled_unknown;
    struct olv_os_in_use *in_use; /* what was open for writing a moment ago; see spare.c */
    struct olv_instant in_use_at;
    int directory; /* runs/ID while carrying out; -1 else */
};

/* Chooses an id: the time to the minute, and chance. */
bool run_make_id(struct olv_run *run, struct olv_error *err);
/* The name of a batch's docket segment in runs/ID: "000001.docket". */
void run_segment_name(char out[32], uint64_t batch);
/* The path that the ledger tells of: where the entry goes to, or where it is. Borrowed until the next turn.
 */
const char *run_path_of(struct olv_run *run, const struct olv_docket_entry *entry);
/* From now on it is the turn of the hooks of this entry, with what they keep. */
void run_take_turn(struct olv_run *run, const struct olv_docket_entry *entry);
/* Frees all of that. */
void run_close_states(struct olv_run *run);
/* Finds the trash that this entry is about, for an act that needs one; its directory has been reached. */
bool run_find_trash(struct olv_run *run, const struct hooks *hooks, const struct olv_docket_entry *entry,
                    struct olv_error *err);
/* The path of the trash that was used last, where it is not the home trash; else "". */
const char *run_trash_place(const struct olv_run *run, const struct hooks *hooks);
/* Brings to the disk what was collected of the ledger, beside others that add to it; all of it; and signs it.
 * From the reserve where the disk is full. */
bool run_write(struct olv_run *run, struct olv_error *err);
bool run_sync(struct olv_run *run, struct olv_error *err);
bool run_checkpoint(struct olv_run *run, struct olv_error *err);
/* What runs remember, and the catalogue: opened, if they are there, with the run, and made when they are
 * needed first; from the reserve where the disk is full. NULL with `err`; of ENOENT where one is not there
 * and not to be made. They are the run's own. */
struct olv_register *run_register(struct olv_run *run, enum database_use use, struct olv_error *err);
struct olv_catalogue *run_catalogue(struct olv_run *run, enum database_use use, struct olv_error *err);
/* Clears archives that a run has not finished, tries again to remove those that are to go, and completes the
 * ledger about those that are there. What cannot be done now stays for a later run. `of_run` is the run that
 * was cut short, whose lines these become; "": none was. False with `err` where the ledger cannot be written.
 */
bool run_clear_archives(struct olv_run *run, const char *of_run, struct olv_error *err);
/* Adds a line to the ledger for each archive that has none yet. */
bool run_tell_archives(struct olv_run *run, const char *of_run, bool *any, struct olv_error *err);
/* Begins a run in the ledger, and marks it open; ends it there, and marks it closed. */
bool run_begin(struct olv_run *run, struct olv_error *err);
bool run_end(struct olv_run *run, const struct olv_end_facts *facts, struct olv_error *err);
/* Settles the run that runs/open names, if any. */
bool run_settle(struct olv_run *run, struct olv_error *err);

/* Copied into `lender` of each run. */
extern const struct lender lender_functions;

#endif
