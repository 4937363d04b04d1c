/* SPDX-License-Identifier: Apache-2.0 */
/* recover: back to where it was, from wherever Olvido put it; each place gives in its own way. */
#include "act/acts.h"

const struct olv_act act_recover = {.word = "recover",
                                    .past = "recovered",
                                    .wire = 11,
                                    .traits = OLV_TOUCHES | OLV_WHOLE,
                                    .destination = OLV_BACK,
                                    .way = OLV_GIVE};
