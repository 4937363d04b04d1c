/* SPDX-License-Identifier: Apache-2.0 */
/* sweep: removes an empty directory; what it takes to make it again is in its docket entry. */
#include "act/sweep.h"
#include "act/acts.h"
#include "olvido/ledger.h"

static bool inverse(const struct olv_ledger_record *done, struct olv_inverse *out)
{
    *out = (struct olv_inverse){.act = &act_remake, .path = done->path, .original = "", .makes_it = true};
    return *done->path;
}

static const struct olv_key keys[] = {{.name = "state",
                                       .type = OLV_KEY_TEXT,
                                       .at = offsetof(struct sweep_arguments, state),
                                       .by = OLV_BY_NOBODY},
                                      {0}};

const struct olv_act act_sweep = {.word = "sweep",
                                  .past = "swept",
                                  .wire = 10,
                                  .traits = OLV_TOUCHES | OLV_LIMITED | OLV_EMPTY_ONLY,
                                  .destination = OLV_TO_NOWHERE,
                                  .order = OLV_BOTTOM_UP,
                                  .keys = keys,
                                  .arguments = sizeof(struct sweep_arguments),
                                  .inverse = inverse,
                                  .way = OLV_END};
