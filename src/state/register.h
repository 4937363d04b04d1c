/* SPDX-License-Identifier: Apache-2.0 */
/* What runs remember: state.db in the state directory (docs/formats/state.md). Files that were given a name
 * (given.h), steps that files have had (had.h), since when rules are as they are (rules.h), and the clock
 * (clock.h). */
#ifndef OLV_STATE_REGISTER_H
#define OLV_STATE_REGISTER_H

#include "olvido/hold.h"

/* One thread at a time. NULL with OLV_STATE; without `create` also, with ENOENT, where there is none. What
 * was noted and not stored is forgotten when it is closed (olv_register_close). */
struct olv_register *register_open(const char *state, bool create, struct olv_error *err);
/* Who is asked for room when the disk is full; see struct database. */
void register_on_full(struct olv_register *reg, bool (*more_room)(void *self, struct olv_error *err),
                      void *self);
/* Brings to the disk what was noted of files given a name and of steps had, in one commit. What could not be
 * stored is forgotten, too. */
bool register_store(struct olv_register *reg, const char *run, struct olv_instant now, struct olv_error *err);
/* The run has ended: what spares nothing, or not any longer, is forgotten. */
bool register_end_run(struct olv_register *reg, struct olv_instant now, struct olv_error *err);

#endif
