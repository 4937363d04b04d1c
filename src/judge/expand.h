/* SPDX-License-Identifier: Apache-2.0 */
/* From an `under` with wildcards to the directories that it stands for. */
#ifndef OLV_JUDGE_EXPAND_H
#define OLV_JUDGE_EXPAND_H

#include "olvido/observer.h"

#include <stdbool.h>

/* Calls `each` with every directory that the pattern fits, none of them reached through a link behind the
 * first wildcard; `**` stands for any number of directories. A path without wildcards is passed on as it is.
 * Places that cannot be read are told to the observer. False when `each` was, or without memory. */
bool expand_under(const char *pattern, bool (*each)(void *self, const char *path), void *self,
                  const struct olv_observer *observer);

#endif
