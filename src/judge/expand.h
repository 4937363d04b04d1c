/* SPDX-License-Identifier: Apache-2.0 */
/* Expands an `under` with wildcards to directories. */
#ifndef OLV_JUDGE_EXPAND_H
#define OLV_JUDGE_EXPAND_H

#include "olvido/observer.h"

#include <stdbool.h>

/* Calls `each` for every directory that matches the pattern, without following links after the first
 * wildcard; `**` matches any number of directories. A path without wildcards is passed on as it is.
 * Unreadable places are reported to the observer. False if `each` returned false, or with errno if
 * descriptors or memory ran out, or a disk failed. */
bool expand_under(const char *pattern, bool (*each)(void *self, const char *path), void *self,
                  const struct olv_observer *observer);

#endif
