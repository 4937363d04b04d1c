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
/* Whether the absolute canonical path is a system directory or below one, or leads into one of Olvido's own
 * places or a system directory through another mount. `guard` may be NULL. */
bool olv_guard_is_system(const struct olv_guard *guard, const char *path);

/* The system directories; NULL at the end. */
extern const char *const olv_guard_tops[];

#endif
