/* SPDX-License-Identifier: Apache-2.0 */
/* Ways that work on every POSIX.1-2008 system, where the system's own stronger one is missing. */
#ifndef OLV_OS_WEAK_H
#define OLV_OS_WEAK_H

#include <stdbool.h>

/* Like olv_os_open_path: one component at a time, none of them a link. */
int weak_open_path(const char *path);
/* Like olv_os_open_dir: a mount on the way is noticed after opening, by where it ended. */
int weak_open_dir(int dir, const char *path, bool one_mount);

#endif
