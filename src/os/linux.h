/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the files for Linux. */
#ifndef OLV_OS_LINUX_H
#define OLV_OS_LINUX_H

#include "olvido/entry.h"

/* Looks at the open file that a link of /proc stands for. */
bool linux_stat_open(int dir, const char *name, struct olv_stat *out);

#endif
