/* SPDX-License-Identifier: Apache-2.0 */
/* delete: gone for good, a directory with all that is in it; each place has its own way to end what lies in
 * it.
 */
#include "act/acts.h"

const struct olv_act act_delete = {.word = "delete",
                                   .past = "deleted",
                                   .wire = 8,
                                   .traits =
                                       OLV_TOUCHES | OLV_FINAL | OLV_LIMITED | OLV_WHOLE | OLV_IN_STORES,
                                   .destination = OLV_TO_NOWHERE,
                                   .way = OLV_END};
