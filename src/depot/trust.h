/* SPDX-License-Identifier: Apache-2.0 */
/* Whether only root and the calling user can put archives into a depot, or replace its directory: it and
 * every directory above belongs to root or to us, and nobody else can write it by mode or access list.
 * Directories above may be sticky instead. Others may read. */
#ifndef OLV_DEPOT_TRUST_H
#define OLV_DEPOT_TRUST_H

#include "olvido/error.h"
#include "olvido/observer.h"

#include <stdbool.h>

/* Opens the directory of a depot. -1 with OLV_UNTRUSTED and the offending place, or with the errno of what
 * failed. */
int depot_open_trusted(const char *path, struct olv_error *err);
/* Whether that is so, and `dir` is the directory at the path. OLV_UNTRUSTED if not. */
bool depot_is_trusted(const char *path, int dir, struct olv_error *err);
/* Warns of a depot that is not trusted (`why`: OLV_UNTRUSTED); `then` says what follows. */
void depot_warn(const struct olv_observer *observer, const struct olv_error *why, const char *then);

#endif
