/* SPDX-License-Identifier: Apache-2.0 */
/* Gives a file a name that may be taken, without losing either file. */
#ifndef OLV_FILE_RENAME_H
#define OLV_FILE_RENAME_H

#include "olvido/docket.h"

#include <limits.h>

/* Renames `name` in `from` to `wanted` in `to`. If that is taken, `if_exists` decides: OLV_REFUSE and
 * OLV_SKIP change nothing (false with OLV_EXISTS), OLV_NUMBER numbers the newcomer ("a (2).csv"),
 * OLV_SET_ASIDE renames the existing one ("a.set-aside-1.csv"), OLV_REPLACE replaces a file by a file. `out`
 * gets the final name. */
bool rename_to(int from, const char *name, int to, const char *wanted, enum olv_if_exists if_exists,
               char out[NAME_MAX + 1], struct olv_error *err);

/* After a crash: the numbered name that a newcomer got instead of `wanted`. `is_it` recognises it.
 * OLV_UNKNOWN if a name cannot be looked at. */
enum olv_truth rename_find(int dir, const char *wanted,
                           bool (*is_it)(const void *self, const struct olv_stat *stat), const void *self,
                           char out[NAME_MAX + 1]);
/* After a crash in which nothing took the place: if setting aside only got as far as its link, removes the
 * second name of what is there. */
void rename_settle(int dir, const char *wanted);

#endif
