/* SPDX-License-Identifier: Apache-2.0 */
/* Makes an archive of a group's entries. The originals go in their own turns. */
#ifndef OLV_ACT_ARCHIVE_MAKE_H
#define OLV_ACT_ARCHIVE_MAKE_H

#include "archive/gathered.h"
#include "source/hooks.h"

/* Makes and publishes it, and notes in `gathered` what became of each entry. If the archive fails, its
 * entries fail; false if the run itself cannot go on. */
bool archive_make(const struct turn *turn, struct group *group, struct gathered *gathered,
                  struct olv_error *err);

#endif
