/* SPDX-License-Identifier: Apache-2.0 */
/* The ways of a depot: each is a file of its own. */
#ifndef OLV_SOURCE_DEPOT_WAYS_H
#define OLV_SOURCE_DEPOT_WAYS_H

#include "source/hooks.h"

/* A missing file is skipped; a missing depot is an error. Only where its directory could not be reached. */
void depot_unreached(const struct olv_docket_entry *entry, struct olv_outcome *outcome);

extern const struct hooks depot_giving, depot_ending;

#endif
