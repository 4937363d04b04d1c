/* SPDX-License-Identifier: Apache-2.0 */
/* What runs remember: state.db in the state directory (docs/formats/state.md). register.c opens and stores;
 * given.c, had.c, rules.c and clock.c have a table each. One thread at a time. */
#ifndef OLV_STATE_REGISTER_H
#define OLV_STATE_REGISTER_H

#include "base/given.h"
#include "olvido/hold.h"
#include "olvido/policy.h"
#include "os/database.h"

/* NULL with OLV_STATE; with ENOENT where there is none and it is not to be made. What was noted and not
 * stored is forgotten when it is closed (olv_register_close). */
struct olv_register *register_open(const char *state, enum database_use use, struct olv_error *err);
/* Who is asked for room when the disk is full; see struct database. */
void register_on_full(struct olv_register *reg, bool (*more_room)(void *self, struct olv_error *err),
                      void *self);
/* Brings to the disk what was noted of files given a name and of steps had, in one commit. What could not be
 * stored is forgotten, too. */
bool register_store(struct olv_register *reg, const char *run, struct olv_instant now, struct olv_error *err);
/* The run has ended: what spares nothing, or not any longer, is forgotten. */
bool register_end_run(struct olv_register *reg, struct olv_instant now, struct olv_error *err);

/* ---- files that a run gives a name to ----
 * A row is on the disk before the name is given. So what is given back is spared from then on, whatever
 * happens; and after a crash the file is known again, whatever name it got. */

/* Notes a file that is about to get its name at this path; `is_spared`: for 30 days no rule touches it. */
bool given_note(struct olv_register *reg, uint64_t entry, const char *path, const struct olv_stat *stat,
                bool is_spared, struct olv_error *err);
/* What was stored of an entry of a run, or (not NULL) of the path. OLV_NO where nothing was; OLV_UNKNOWN with
 * `err` where the register cannot be read. */
enum olv_truth given_find(struct olv_register *reg, const char *run, uint64_t entry, const char *path,
                          struct given *out, struct olv_error *err);
/* Whether the file is spared at this time, which does not go back from one call to the next: asked of the
 * register as it is now, what was just stored included. */
enum olv_truth given_is_spared(struct olv_register *reg, const struct olv_stat *stat, struct olv_instant now);

/* ---- steps that files have had, where that cannot be noted on the file itself ---- */

/* See olv_register_find_had. */
bool had_note(struct olv_register *reg, const struct olv_had *had, struct olv_error *err);

/* ---- rules: since when each has been as it is ---- */

/* Brings that up to date, in one commit. `in_notice` gets one answer for each rule, and one for the policy's
 * `trash`: whether it is so new, or so newly changed, that what cannot be taken back waits. In a fresh state
 * directory that is all of them. */
bool rules_note(struct olv_register *reg, const struct olv_policy *policy, struct olv_instant now,
                bool *in_notice, struct olv_error *err);

/* ---- the clock ---- */

/* A clock that is behind the last line of the ledger, that went its own way by more than an hour since the
 * last run within the same boot, or that nobody has synchronised since the last boot, is in doubt: then false
 * with the reason in words. `last` is the time of the ledger's last line, or 0. */
bool clock_is_trusted(const struct olv_register *reg, struct olv_instant now, struct olv_instant last,
                      const char **why);
/* Notes the clock as it is now for the next run: when it is trusted, or a person was there to see it. */
bool clock_note(const struct olv_register *reg, struct olv_instant now, struct olv_error *err);

#endif
