/* SPDX-License-Identifier: Apache-2.0 */
/* Making an archive, when the first of the entries that are to go into it has its turn; so its intent is on
 * the disk. The originals go in their own turns. */
#ifndef OLV_ENGINE_GATHER_H
#define OLV_ENGINE_GATHER_H

#include "engine/run.h"

/* Whether a docket has something for an archive. Rewinds it. */
bool gather_is_needed(struct olv_spool *docket, bool *is_needed, struct olv_error *err);

struct gather_place {
    struct olv_spool *docket;
    long mark;         /* of the segment under way */
    uint32_t entry;    /* the number within it of the one whose turn it is, */
    uint64_t sequence; /* and within the run */
};
/* Makes the archive for the entry and all behind it that are to go into the same one, unless it has been
 * made, and notes in the run what became of each. An archive that fails is the failure of its entries; false
 * when the run itself cannot go on. */
bool gather_archive(struct olv_run *run, const struct gather_place *place, struct olv_error *err);

#endif
