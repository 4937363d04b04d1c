/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the files for Linux. */
#ifndef OLV_OS_LINUX_H
#define OLV_OS_LINUX_H

#include "olvido/entry.h"

/* Stats the open file behind a link of /proc. */
bool linux_stat_open(int dir, const char *name, struct olv_stat *out);

#endif
