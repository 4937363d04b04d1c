/* SPDX-License-Identifier: Apache-2.0 */
/* What the parts of a guard share. */
#ifndef OLV_GUARD_PLACES_H
#define OLV_GUARD_PLACES_H

#include "olvido/guard.h"

/* What stands there, or where it lies, could not be found out (errno says why): no run begins with such a
 * guard. */
void guard_forgets(struct olv_guard *guard, const char *path);
/* The system directories; NULL at the end. */
extern const char *const olv_guard_tops[];

#endif
