/* SPDX-License-Identifier: Apache-2.0 */
#include "act/acts.h"

#include <stddef.h>

#define ACT_ROW(act) &(act),
const struct olv_act *const olv_acts[] = {ACTS(ACT_ROW) NULL};
