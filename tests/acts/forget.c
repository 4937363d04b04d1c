/* SPDX-License-Identifier: Apache-2.0 */
/* forget: an act with a mistake. It ends, once, what it was asked about, and then once more another name,
 * which nobody asked about. */
#include "act/acts.h"
#include "source/ending.h"

static void apply(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    struct olv_docket_entry other = *e;
    other.name = "not-asked.csv";
    ending_end(turn, &turn->directory, &other, o);
}

static const struct hooks hooks = {.apply = apply};

const struct olv_act act_forget = {.word = "forget",
                                   .past = "forgotten",
                                   .wire = 63,
                                   .traits = OLV_TOUCHES | OLV_FINAL | OLV_LIMITED,
                                   .destination = OLV_TO_NOWHERE,
                                   .hooks = &hooks};
