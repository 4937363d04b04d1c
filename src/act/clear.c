/* SPDX-License-Identifier: Apache-2.0 */
/* clear: what delete is called in the trash, by hand or by the policy's `trash`. The file has left its place
 * before, so limits do not count it. */
#include "act/acts.h"

const struct olv_act act_clear = {.word = "clear",
                                  .past = "removed for good",
                                  .wire = 12,
                                  .traits = OLV_TOUCHES | OLV_FINAL | OLV_WHOLE,
                                  .destination = OLV_TO_NOWHERE,
                                  .way = OLV_END};
