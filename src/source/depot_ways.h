/* SPDX-License-Identifier: Apache-2.0 */
/* What can be done in a depot, one file each. */
#ifndef OLV_SOURCE_DEPOT_WAYS_H
#define OLV_SOURCE_DEPOT_WAYS_H

#include "source/hooks.h"

extern const struct hooks depot_giving, depot_ending;

#endif
