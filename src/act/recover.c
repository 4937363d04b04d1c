/* SPDX-License-Identifier: Apache-2.0 */
/* recover: back to its original place; each place has its own way to give. */
#include "act/acts.h"

const struct olv_act act_recover = {.word = "recover",
                                    .past = "recovered",
                                    .wire = 11,
                                    .traits = OLV_TOUCHES | OLV_WHOLE | OLV_BY_HAND_ONLY,
                                    .destination = OLV_BACK,
                                    .way = OLV_GIVE};
