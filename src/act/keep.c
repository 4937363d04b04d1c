/* SPDX-License-Identifier: Apache-2.0 */
/* keep: the file stays. Nothing is done, so it is never in a docket. */
#include "act/acts.h"

const struct olv_act act_keep = {
    .word = "keep", .past = "kept", .wire = 0, .traits = OLV_KEEPS | OLV_WHOLE | OLV_IN_STORES};
