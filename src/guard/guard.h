/* SPDX-License-Identifier: Apache-2.0 */
/* What may never be touched: Olvido's own places, and what a machine needs to run. Asked when a docket is
 * made and again right before each act. */
#ifndef OLV_GUARD_GUARD_H
#define OLV_GUARD_GUARD_H

#include "olvido/guard.h"

/* Whether this is one of Olvido's own places or files, by file system and inode, through whatever name or
 * mount. */
bool olv_guard_is_own(const struct olv_guard *guard, uint64_t device, uint64_t inode);
/* Whether this is a landmark: the root, or a home directory. */
bool olv_guard_is_landmark(const struct olv_guard *guard, uint64_t device, uint64_t inode);
/* What stands before an absolute canonical path, and all below it. */
enum olv_barrier { OLV_NO_BARRIER, OLV_SYSTEM_PLACE, OLV_OWN_PLACE };
/* Also where the path leads into such a place through another mount. `guard` may be NULL. */
enum olv_barrier olv_guard_of(const struct olv_guard *guard, const char *path);

/* What stands there, or where it lies, could not be found out (errno says why): no run begins with such a
 * guard. */
void guard_forgets(struct olv_guard *guard, const char *path);
/* The system directories; NULL at the end. */
extern const char *const olv_guard_tops[];

#endif
