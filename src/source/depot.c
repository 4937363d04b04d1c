/* SPDX-License-Identifier: Apache-2.0 */
/* A depot as a place: what lies in its archives. */
#include "source/depot.h"

const struct source source_depot = {.ways = {[OLV_GIVE] = &depot_giving, [OLV_END] = &depot_ending}};
