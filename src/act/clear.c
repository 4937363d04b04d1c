/* SPDX-License-Identifier: Apache-2.0 */
/* clear: deletes from the trash, by hand or by the policy's `trash`. Limits do not count it, because the file
 * had already left its place. */
#include "act/acts.h"

const struct olv_act act_clear = {.word = "clear",
                                  .past = "removed for good",
                                  .wire = 12,
                                  .traits = OLV_TOUCHES | OLV_FINAL | OLV_WHOLE | OLV_BY_HAND_ONLY,
                                  .destination = OLV_TO_NOWHERE,
                                  .way = OLV_END};
