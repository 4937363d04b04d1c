/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the parts of a guard. */
#ifndef OLV_GUARD_PLACES_H
#define OLV_GUARD_PLACES_H

#include "olvido/guard.h"

/* A place, or what is there, could not be determined (errno says why): no run begins with such a guard. */
void guard_forgets(struct olv_guard *guard, const char *path);
/* The system directories; ends with NULL. */
extern const char *const olv_guard_tops[];

#endif
