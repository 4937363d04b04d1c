/* SPDX-License-Identifier: Apache-2.0 */
/* A depot as a place: what lies in its archives. */
#include "source/depot_ways.h"

void depot_unreached(const struct olv_docket_entry *e, struct olv_outcome *o)
{
    outcome_failed(o);
    if (o->error.code == OLV_CHANGED)
        olv_fail(&o->error, OLV_SYSTEM, "its archive cannot be reached: the depot %.200s is not there",
                 e->directory);
    o->result = OLV_FAILED;
}

const struct source source_depot = {.ways = {[OLV_GIVE] = &depot_giving, [OLV_END] = &depot_ending}};
