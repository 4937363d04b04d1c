/* SPDX-License-Identifier: Apache-2.0 */
/* The state directory while a run holds it: opened, checked and locked. */
#ifndef OLV_STATE_STATE_H
#define OLV_STATE_STATE_H

#include "olvido/error.h"

struct state {
    int dir, runs, lock; /* descriptors; closing `lock` ends the lock */
};

/* Creates the directory on first use. False with OLV_STATE: not ours, locked, too new, or on a network file
 * system. */
bool state_open(struct state *state, const char *path, const char *command, struct olv_error *err);
void state_close(struct state *state);

/* The run that has begun and not ended, or "": runs/open. */
bool state_open_run(const struct state *state, char *run, unsigned size, struct olv_error *err);
bool state_mark_open(const struct state *state, const char *run, struct olv_error *err);
bool state_mark_closed(const struct state *state, struct olv_error *err);

#endif
