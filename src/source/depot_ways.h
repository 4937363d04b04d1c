/* SPDX-License-Identifier: Apache-2.0 */
/* The ways of a depot: each is a file of its own. */
#ifndef OLV_SOURCE_DEPOT_WAYS_H
#define OLV_SOURCE_DEPOT_WAYS_H

#include "source/hooks.h"

extern const struct hooks depot_giving, depot_ending;

#endif
