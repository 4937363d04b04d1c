/* SPDX-License-Identifier: Apache-2.0 */
/* What runs remember: state.db in the state directory (docs/formats/state.md). register.c opens and stores;
 * given.c, had.c, emptied.c, protected.c, marked.c, rules.c and clock.c have a table each. For one thread at
 * a time. */
#ifndef OLV_STATE_REGISTER_H
#define OLV_STATE_REGISTER_H

#include "base/given.h"
#include "olvido/hold.h"
#include "olvido/policy.h"
#include "olvido/protected.h"
#include "os/database.h"

/* NULL with OLV_STATE; ENOENT if there is none and `use` does not create it. Closing (olv_register_close)
 * discards what was not stored. */
struct olv_register *register_open(const char *state, enum database_use use, struct olv_error *err);
/* Who makes room when the disk is full; see struct database. */
void register_on_full(struct olv_register *reg, bool (*more_room)(void *self, struct olv_error *err),
                      void *self);
/* Whether anything waits for being stored; `reg` may be NULL. */
bool register_has_notes(const struct olv_register *reg);
/* Makes durable, in one commit, which files were given names and which steps were done. What could not be
 * stored is discarded, too. */
bool register_store(struct olv_register *reg, const char *run, struct olv_instant now, struct olv_error *err);
/* The run has ended, and the clock is not doubtful: deletes what spares nothing, or no longer does, and the
 * steps of files that are long gone. */
bool register_end_run(struct olv_register *reg, struct olv_instant now, struct olv_error *err);

/* ---- files that a run gives a name to ----
 * A row is durable before the file gets its name. So recovered files are spared from then on, whatever
 * happens, and after a crash the file is recognised, whatever its name. */

/* Records a file about to get its name at this path; `is_spared`: no rule touches it for 30 days. */
bool given_note(struct olv_register *reg, uint64_t entry, const char *path, const struct olv_stat *stat,
                bool is_spared, struct olv_error *err);
/* What was stored for an entry of a run, or for `path` if not NULL. OLV_NO if nothing was; OLV_UNKNOWN with
 * `err` if the register cannot be read. */
enum olv_truth given_find(struct olv_register *reg, const char *run, uint64_t entry, const char *path,
                          struct given *out, struct olv_error *err);
/* Whether the file is spared at this time (0: a time that is doubtful, at which no respite has expired),
 * which never decreases between calls: asks the register as it is now, including what was just stored. */
enum olv_truth given_is_spared(struct olv_register *reg, const struct olv_stat *stat, struct olv_instant now);

/* ---- acts that files have outlived ---- */

/* Whether there is any. */
enum olv_truth had_any(struct olv_register *reg, struct olv_error *err);
/* See olv_register_find_had. Without an act: only what it has had goes along. */
bool had_note(struct olv_register *reg, const struct olv_had *had, struct olv_error *err);

/* ---- directories that runs removed something from ---- */

/* See olv_register_before_emptied. It is noted before the first removal, too, with the same times twice, so
 * that a run that is cut short is known to have begun. */
bool emptied_note(struct olv_register *reg, const char *path, const struct olv_stat *before,
                  const struct olv_stat *after, struct olv_error *err);
/* After a crash: what has been noted of a directory counts for the state that it is in now. */
bool emptied_settle(struct olv_register *reg, const char *path, const struct olv_stat *now,
                    struct olv_error *err);

/* ---- what is protected ---- */

/* Notes a level that is about to be set, in the place of what was noted for this rule and level; and one that
 * was lifted, or, with a run, was not set in that one after all. */
bool protected_note(struct olv_register *reg, const struct olv_protected *row, struct olv_error *err);
bool protected_forget(struct olv_register *reg, const struct olv_protected *row, struct olv_error *err);

/* See olv_register_before_marked. `before` was the file's ctime before our own change. */
bool marked_note(struct olv_register *reg, const char *path, const struct olv_stat *after,
                 struct olv_instant before, struct olv_error *err);
/* Whether anything was noted of this file, and then whether its ctime is still the one after our change. */
enum olv_truth marked_find(struct olv_register *reg, const struct olv_stat *stat, bool *is_ours,
                           struct olv_error *err);

/* ---- rules: since when each has been as it is ---- */

/* Updates that in one commit, or with a doubtful clock reads it only. `in_notice` gets one answer per rule
 * and one for the policy's `trash`: it is so new, or so newly changed, that what cannot be taken back waits.
 * In a fresh state directory all of them do.
 */
bool rules_note(struct olv_register *reg, const struct olv_policy *policy, struct olv_instant now,
                bool is_doubtful, bool *in_notice, struct olv_error *err);

/* ---- the clock ---- */

/* Notes the clock for the next run: if it is not doubtful (olv_clock_doubt), or a person was asked about it.
 */
bool clock_note(const struct olv_register *reg, struct olv_instant now, struct olv_error *err);

#endif
