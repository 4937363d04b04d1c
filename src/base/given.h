/* SPDX-License-Identifier: Apache-2.0 */
/* What a file is known by that was given a name, wherever that lies now. */
#ifndef OLV_BASE_GIVEN_H
#define OLV_BASE_GIVEN_H

#include "olvido/entry.h"

struct given {
    uint64_t inode;
    bool has_born;
    struct olv_instant born;
};

/* Whether a file that is there is the one that was noted. */
bool given_is(const struct given *given, const struct olv_stat *stat);

#endif
