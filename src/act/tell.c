/* SPDX-License-Identifier: Apache-2.0 */
/* tell: reports a file and touches nothing. */
#include "act/acts.h"
#include "source/judged.h"

static void tell_apply(struct turn *turn, const struct olv_docket_entry *entry, struct olv_outcome *outcome)
{
    if (judged_verify(turn->directory.fd, entry->name, entry, true, outcome))
        outcome->result = OLV_DONE;
}

static const struct hooks hooks = {.apply = tell_apply};

const struct olv_act act_tell = {
    .word = "tell", .past = "told", .wire = 1, .traits = OLV_WHOLE, .hooks = &hooks};
