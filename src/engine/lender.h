/* SPDX-License-Identifier: Apache-2.0 */
/* What the engine does for acts; see source/hooks.h. */
#ifndef OLV_ENGINE_LENDER_H
#define OLV_ENGINE_LENDER_H

#include "source/hooks.h"

/* Copied into `lender` of each run. */
extern const struct lender lender_functions;

#endif
