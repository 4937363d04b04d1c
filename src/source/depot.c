/* SPDX-License-Identifier: Apache-2.0 */
/* A depot as a place: the members of its archives. */
#include "source/depot_ways.h"
#include "source/ending.h"

/* A missing file is skipped; a missing depot is an error. */
static void unreached(const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (o->error.code == OLV_CHANGED)
        olv_fail(&o->error, OLV_SYSTEM, "its archive cannot be reached: the depot %.200s is not there",
                 e->directory);
    o->result = OLV_FAILED;
}

const struct source source_depot = {.ways = {[OLV_GIVE] = &depot_giving, [OLV_END] = &depot_ending},
                                    .end = ending_unlink,
                                    .unreached = unreached};
