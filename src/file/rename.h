/* SPDX-License-Identifier: Apache-2.0 */
/* Gives a file a name that may be taken, without losing either file. */
#ifndef OLV_FILE_RENAME_H
#define OLV_FILE_RENAME_H

#include "olvido/docket.h"

#include <limits.h>

/* Where the exclusive rename is missing, a move links and unlinks, and a crash in between leaves both names.
 * The same inode does not tell which of them is ours (a hard link of the file looks the same), so both are
 * recorded before, durably, and only that tells. */
enum rename_half {
    RENAME_THERE = 1, /* from where the act found it to where it puts it */
    RENAME_BACK = 2,  /* the same way back */
    RENAME_ASIDE = 3  /* in the destination: what has the wanted name gives way */
};
struct rename_witness {
    /* Makes it durable that `to` is about to become another name of `from`; empty names: it did not. */
    bool (*announce)(const void *self, enum rename_half half, const char *from, const char *to,
                     struct olv_error *err);
    const void *self;
};
/* Renames; false with errno, EEXIST if the new name is taken. `witness` NULL: the names prove themselves. */
bool rename_seen(const struct rename_witness *witness, enum rename_half half, int from, const char *name,
                 int to, const char *wanted);
/* After a crash: whether both names of an announced move stand, and are the same file. */
bool rename_is_half(int from, const char *name, int to, const char *wanted);

/* Renames `name` in `from` to `wanted` in `to`. If that is taken, `if_exists` decides: OLV_REFUSE and
 * OLV_SKIP change nothing (false with OLV_EXISTS), OLV_NUMBER numbers the newcomer ("a (2).csv"),
 * OLV_SET_ASIDE renames the existing one ("a.set-aside-1.csv"), OLV_REPLACE replaces a file by a file. `out`
 * gets the final name. `witness`: see rename_seen. */
bool rename_to(int from, const char *name, int to, const char *wanted, enum olv_if_exists if_exists,
               const struct rename_witness *witness, char out[NAME_MAX + 1], struct olv_error *err);

/* After a crash: the numbered name that a newcomer got instead of `wanted`. `is_it` recognises it.
 * OLV_UNKNOWN if a name cannot be looked at. */
enum olv_truth rename_find(int dir, const char *wanted,
                           bool (*is_it)(const void *self, const struct olv_stat *stat), const void *self,
                           char out[NAME_MAX + 1]);

#endif
