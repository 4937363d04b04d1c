/* SPDX-License-Identifier: Apache-2.0 */
/* What keeps a file from a step whose time has come: holds, and the respite after a recovery. */
#ifndef OLVIDO_HOLD_H
#define OLVIDO_HOLD_H

#include "olvido/entry.h"
#include "olvido/error.h"

/* A register of holds, asked before anything is touched. Any thread may ask. */
struct olv_holds {
    void *self;
    /* `path` is absolute. What cannot be known counts as held. */
    enum olv_truth (*is_held)(void *self, const char *path, const struct olv_stat *stat);
};

/* What was recovered and until when it is left alone. */
struct olv_respites;

enum { OLV_RESPITE_S = 30 * 86400 };

/* Reads the register in a state directory; an empty one when there is none. NULL with `err`. Read-only from
 * then on, so threads may share it. */
struct olv_respites *olv_respites_read(const char *state, struct olv_instant now, struct olv_error *err);
void olv_respites_free(struct olv_respites *respites);
/* Whether the file was recovered and its respite lasts beyond `as_of`. `path` (absolute) is only asked for
 * where the file system has no times of birth; it may return NULL. */
bool olv_respites_include(const struct olv_respites *respites, const struct olv_stat *stat,
                          struct olv_instant as_of, const char *(*path)(void *self), void *self);

#endif
