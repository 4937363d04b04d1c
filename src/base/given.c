/* SPDX-License-Identifier: Apache-2.0 */
#include "base/given.h"

bool given_is(const struct given *g, const struct olv_stat *stat)
{
    return stat->inode == g->inode && g->has_born == stat->has_born &&
           (!g->has_born || olv_instant_compare(g->born, stat->born) == 0);
}
