/* SPDX-License-Identifier: Apache-2.0 */
/* What keeps a file from a step whose time has come: holds, the respite after a recovery, and that it has had
 * the step. */
#ifndef OLVIDO_HOLD_H
#define OLVIDO_HOLD_H

#include "olvido/act.h"
#include "olvido/entry.h"
#include "olvido/error.h"

#include <limits.h>

/* A register of holds, asked before anything is touched. Any thread may ask. */
struct olv_holds {
    void *self;
    /* `path` is absolute. What cannot be known counts as held. */
    enum olv_truth (*is_held)(void *self, const char *path, const struct olv_stat *stat);
};

/* What runs remember, in the state directory. One thread at a time. */
struct olv_register;

/* Opens it to ask it; `*out` is NULL where nothing was ever done. False with `err`. */
bool olv_register_open(const char *state, struct olv_register **out, struct olv_error *err);
void olv_register_close(struct olv_register *reg);

/* A step that a file has had. */
struct olv_had {
    const char *path; /* absolute */
    const struct olv_act *act;
    uint64_t size_bytes; /* both as they are now: what somebody has changed has had nothing */
    struct olv_instant modified;
    const char *was_name; /* before the act; "" where the act left it as it was */
    uint64_t was_bytes;
};

/* Whether a file has had that step, and what it was called before ("": the same). Without an act: whether it
 * had another name before any, which `had->act` becomes. `had->was_name` is not read. OLV_UNKNOWN with `err`
 * where the register cannot be read. */
enum olv_truth olv_register_find_had(struct olv_register *reg, struct olv_had *had,
                                     char was_name[NAME_MAX + 1], uint64_t *was_bytes, struct olv_error *err);

/* What was recovered and until when it is left alone. */
struct olv_respites;

enum { OLV_RESPITE_S = 30 * 86400 };

/* Reads them out of a register; without one (NULL) there are none. NULL with `err`. Read-only from then on,
 * so threads may share it. */
struct olv_respites *olv_respites_read(const struct olv_register *reg, struct olv_instant now,
                                       struct olv_error *err);
void olv_respites_free(struct olv_respites *respites);
/* Whether the file was recovered and its respite lasts beyond `as_of`. `path` (absolute) is only asked for
 * where the file system has no times of birth; it may return NULL. */
bool olv_respites_include(const struct olv_respites *respites, const struct olv_stat *stat,
                          struct olv_instant as_of, const char *(*path)(void *self), void *self);

#endif
