/* SPDX-License-Identifier: Apache-2.0 */
/* What files were, by their notes and by the catalogue. */
#ifndef OLV_ENGINE_FORMER_H
#define OLV_ENGINE_FORMER_H

#include "judge/former.h"

extern const struct formers engine_formers;

#endif
