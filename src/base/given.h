/* SPDX-License-Identifier: Apache-2.0 */
/* What identifies a file that was given a name, wherever it is now. */
#ifndef OLV_BASE_GIVEN_H
#define OLV_BASE_GIVEN_H

#include "olvido/entry.h"

struct given {
    uint64_t inode;
    bool has_born;
    struct olv_instant born;
};

/* Whether an existing file is the recorded one. */
static inline bool given_is(const struct given *g, const struct olv_stat *stat)
{
    return stat->inode == g->inode && g->has_born == stat->has_born &&
           (!g->has_born || olv_instant_compare(g->born, stat->born) == 0);
}

#endif
