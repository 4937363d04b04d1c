/* SPDX-License-Identifier: Apache-2.0 */
/* The register of files that a run gives a name to: state.db in the state directory (docs/formats/state.md).
 * A row is on the disk before the name is given. So what is given back is spared from then on, whatever
 * happens; and after a crash the file is known again, whatever name it got. */
#ifndef OLV_STATE_GIVEN_H
#define OLV_STATE_GIVEN_H

#include "base/given.h"
#include "olvido/hold.h"

/* One thread at a time. NULL with OLV_STATE; without `create` also, with ENOENT, where there is none. */
struct givens;
struct givens *givens_open(const char *state, bool create, struct olv_error *err);
void givens_close(struct givens *givens); /* what was not stored is forgotten */
/* Who is asked for room when the disk is full; see struct database. */
void givens_on_full(struct givens *givens, bool (*more_room)(void *self, struct olv_error *err), void *self);

/* Notes a file that is about to get its name at this path; `is_spared`: for 30 days no rule touches it. */
bool givens_add(struct givens *givens, uint64_t entry, const char *path, const struct olv_stat *stat,
                bool is_spared, struct olv_error *err);
/* Brings what was noted to the disk, in one commit. */
bool givens_store(struct givens *givens, const char *run, struct olv_instant now, struct olv_error *err);
/* What was stored of an entry of a run. OLV_NO where nothing was; OLV_UNKNOWN with `err` where the register
 * cannot be read. */
enum olv_truth givens_find(struct givens *givens, const char *run, uint64_t entry, struct given *out,
                           struct olv_error *err);
/* The same of the file that was noted for a path. */
enum olv_truth givens_find_path(struct givens *givens, const char *run, const char *path, struct given *out,
                                struct olv_error *err);
/* The run has ended: what spares nothing, or not any longer, is forgotten. */
bool givens_end_run(struct givens *givens, struct olv_instant now, struct olv_error *err);
/* Whether the file is spared at this time, asked of the register as it is now. */
enum olv_truth givens_spare(struct givens *givens, const struct olv_stat *stat, struct olv_instant now);

#endif
