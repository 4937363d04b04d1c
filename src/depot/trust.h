/* SPDX-License-Identifier: Apache-2.0 */
/* Whether nobody but root and ourselves can put another archive into a depot, or another directory in its
 * place: it, and every directory above, belongs to root or to us, and nobody else can write it by mode or
 * access list. Above, a sticky one is fine. Others may read. */
#ifndef OLV_DEPOT_TRUST_H
#define OLV_DEPOT_TRUST_H

#include "olvido/error.h"
#include "olvido/observer.h"

#include <stdbool.h>

/* Opens the directory of a depot. -1 with OLV_UNTRUSTED and the place that is at fault, or with the errno of
 * what failed. */
int depot_open_trusted(const char *path, struct olv_error *err);
/* Whether that is so, and `dir` is the directory that the path leads to. OLV_UNTRUSTED where it is not. */
bool depot_is_trusted(const char *path, int dir, struct olv_error *err);
/* Warns of a depot that is not (`why`: OLV_UNTRUSTED); `then` says what follows from that. */
void depot_warn(const struct olv_observer *observer, const struct olv_error *why, const char *then);

#endif
