/* SPDX-License-Identifier: Apache-2.0 */
/* What keeps a file from a step whose time has come: holds, the respite after a recovery, and steps already
 * done. */
#ifndef OLVIDO_HOLD_H
#define OLVIDO_HOLD_H

#include "olvido/act.h"
#include "olvido/entry.h"
#include "olvido/error.h"

/* A register of holds, asked before anything is touched. Thread-safe. */
struct olv_holds {
    void *self;
    /* `path` is absolute. If it cannot be known, the file counts as held. */
    enum olv_truth (*is_held)(void *self, const char *path, const struct olv_stat *stat);
};

/* What runs remember, in the state directory. For one thread at a time. */
struct olv_register;

/* Opens it for reading; `*out` is NULL if nothing was ever done. False with `err`. */
bool olv_register_open(const char *state, struct olv_register **out, struct olv_error *err);
void olv_register_close(struct olv_register *reg);

/* An act that was done to a file or directory which outlived it. */
enum { OLV_BEFORE_MOST = 288 };
struct olv_had {
    const char *path; /* absolute, as it is now, like the next three */
    uint64_t inode;
    bool has_born;
    struct olv_instant born;
    uint64_t size_bytes; /* and these: whether somebody changed it since */
    struct olv_instant modified;
    const struct olv_had *former; /* of an act that made another file of it: the former one, of which all of
                                     the above counts; what that has had goes along. Or NULL */
    const struct olv_act *act;
    uint8_t arguments[32];           /* the digest of how it was done; see olv_step */
    uint8_t before[OLV_BEFORE_MOST]; /* what the act notes of the state before */
    size_t before_len;
};

/* The file as it is now, for asking. */
struct olv_had olv_had_of(const char *path, const struct olv_stat *stat, const struct olv_act *act);

/* Whether this act was done to the file: of `wanted` all but `arguments` and `before`. Found by its inode and
 * birth time, or by its path as long as it has the same contents; `found` gets what is known, without the
 * path. A file that was moved is remembered at its new path when a run ends. OLV_UNKNOWN with `err` if the
 * register cannot be read. */
enum olv_truth olv_register_find_had(struct olv_register *reg, const struct olv_had *wanted,
                                     struct olv_had *found, struct olv_error *err);

/* A directory from which only our own acts removed something since: its times become those before that.
 * OLV_UNKNOWN with `err` if the register cannot be read. */
enum olv_truth olv_register_before_emptied(struct olv_register *reg, const char *path, struct olv_stat *stat,
                                           struct olv_error *err);

/* Why the clock is doubtful, in words; NULL: it is not, or the system says that it is synchronised. It is
 * compared with what the last run noted (`reg` may be NULL), and with `last`, the time of the ledger's last
 * line, or 0. */
const char *olv_clock_doubt(const struct olv_register *reg, struct olv_instant now, struct olv_instant last);

/* What was recovered, and until when it is left alone. */
struct olv_respites;

enum { OLV_RESPITE_S = 30 * 86400 };

/* Reads them from a register (NULL: there are none). With a doubtful clock none has expired, or ever does.
 * NULL with `err`. Read-only afterwards, so threads may share it. */
struct olv_respites *olv_respites_read(const struct olv_register *reg, struct olv_instant now,
                                       bool is_doubtful, struct olv_error *err);
void olv_respites_free(struct olv_respites *respites);
/* Whether the file was recovered and its respite lasts beyond `as_of`. Calls `path` (absolute; may return
 * NULL) only if the file system has no birth times. */
bool olv_respites_include(const struct olv_respites *respites, const struct olv_stat *stat,
                          struct olv_instant as_of, const char *(*path)(void *self), void *self);

#endif
