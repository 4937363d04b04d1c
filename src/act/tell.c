/* SPDX-License-Identifier: Apache-2.0 */
/* tell: reports a file and touches nothing. */
#include "act/act.h"

static void apply(struct olv_act_context *context, const struct olv_docket_entry *entry,
                  struct olv_outcome *outcome)
{
    if (olv_act_verify(context->source.fd, entry->name, entry, true, outcome))
        outcome->result = OLV_DONE;
}

const struct olv_act olv_act_tell = {.id = OLV_ACT_TELL, .result = "told", .apply = apply};
