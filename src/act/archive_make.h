/* SPDX-License-Identifier: Apache-2.0 */
/* Makes an archive of a group's entries. The originals go in their own turns. */
#ifndef OLV_ACT_ARCHIVE_MAKE_H
#define OLV_ACT_ARCHIVE_MAKE_H

#include "archive/gathered.h"
#include "source/hooks.h"

/* What goes into one archive: everything a run finds due, or one period, or one directory. */
enum one_per { PER_RUN, PER_DAY, PER_MONTH, PER_YEAR, PER_DIRECTORY };

struct archive_arguments {
    const char *depot; /* its name; "": none */
    int one_per, codec, level;
    bool keeps;       /* the originals stay */
    int clock;        /* the rule's, which is noted in the archive */
    const char *into; /* path of the archive */
};

/* Which archive of its depot an entry of a policy goes into: "gauge-readings-2025-11.tar.zst". */
bool archive_fit(const struct fitting *fitting, void *arguments);

/* Makes and publishes it, and notes in `gathered` what became of each entry. If the archive fails, its
 * entries fail; false if the run itself cannot go on. */
bool archive_make(const struct turn *turn, struct group *group, struct gathered *gathered,
                  struct olv_error *err);

#endif
