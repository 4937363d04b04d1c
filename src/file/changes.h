/* SPDX-License-Identifier: Apache-2.0 */
/* What our own acts changed of files that have other names (hard links): to end, move or mark one name
 * changes the ctime, and perhaps the number of names, of all. The state in which an act left such a file is
 * known here, so that its other entries in the docket still hold, and a change by anybody else is noticed.
 * Kept in a temporary file, a record for each file. */
#ifndef OLV_FILE_CHANGES_H
#define OLV_FILE_CHANGES_H

#include "olvido/entry.h"

#include <stdio.h>

/* Starts zeroed. */
struct changes {
    FILE *file; /* a table of open addressing; NULL: nothing was noted */
    uint64_t slots, used;
};

/* Notes a file's state right after our own change, as its open descriptor says. If it cannot be noted, its
 * other names are left: they seem to be changed. */
void changes_note(struct changes *changes, const struct olv_stat *now);
/* Whether our last change left the file exactly so: its ctime and its number of names. */
bool changes_made(const struct changes *changes, const struct olv_stat *now);
void changes_free(struct changes *changes);

#endif
