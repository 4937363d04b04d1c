/* SPDX-License-Identifier: Apache-2.0 */
/* Putting a file under a name that may be taken: never losing either. */
#ifndef OLV_FILE_RENAME_H
#define OLV_FILE_RENAME_H

#include "olvido/docket.h"

#include <limits.h>

/* Renames `name` of `from` to `wanted` in `to`. Where that is taken, `if_exists` says what happens:
 * OLV_REFUSE and OLV_SKIP leave everything (false with OLV_EXISTS), OLV_NUMBER gives the newcomer a number
 * ("a (2).csv"), OLV_SET_ASIDE the one that is there ("a.set-aside-1.csv"), OLV_REPLACE replaces a file by a
 * file. The name that it got is in `out`. */
bool rename_to(int from, const char *name, int to, const char *wanted, enum olv_if_exists if_exists,
               char out[NAME_MAX + 1], struct olv_error *err);

/* After a crash: the name with a number that a newcomer got instead of `wanted`. `is_it` knows it.
 * OLV_UNKNOWN where a name cannot be looked at. */
enum olv_truth rename_find(int dir, const char *wanted,
                           bool (*is_it)(const void *self, const struct olv_stat *stat), const void *self,
                           char out[NAME_MAX + 1]);
/* After a crash in which nothing took the place: what stands there loses the name of one set aside, which it
 * has besides where setting aside is a link and an unlink, and only the link was made. */
void rename_settle(int dir, const char *wanted);

#endif
