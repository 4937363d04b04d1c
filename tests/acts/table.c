/* SPDX-License-Identifier: Apache-2.0 */
/* The table of a program that has some acts more, which nothing else names. */
#include "act/acts.h"

#include <stddef.h>

#define MORE(ACT)                                                                                            \
    ACT(act_stamp)                                                                                           \
    ACT(act_twin)                                                                                            \
    ACT(act_spoil)                                                                                           \
    ACT(act_forget)
MORE(ACT_IS_THERE)

#define ROW(act) &(act),
const struct olv_act *const olv_acts[] = {ACTS(ROW) MORE(ROW) NULL};
