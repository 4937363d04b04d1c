/* SPDX-License-Identifier: Apache-2.0 */
/* The file tree as a place. Ending: unlink; Olvido cannot recover it. */
#include "source/hooks.h"

#include "source/judged.h"
#include "source/settling.h"

static void end(struct turn *turn, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    if (e->identity.kind == OLV_KIND_DIRECTORY) {
        olv_fail(&o->error, OLV_REFUSED, "directories are not deleted by this version");
        o->result = OLV_LEFT;
        return;
    }
    if (judged_is_allowed(turn, e, o) && judged_remove(turn, &turn->directory, e, !judged_has_twins(e), o))
        o->result = OLV_DONE;
}

/* Somebody else may have removed it: its absence alone proves nothing. */
static enum olv_truth ending_applied(struct turn *turn, const struct olv_docket_entry *e,
                                     struct olv_outcome *o)
{
    enum olv_truth is_there;
    judged_settle_removal(turn, e);
    is_there = settling_is_there(turn, e);
    o->result = OLV_DONE;
    if (is_there == OLV_YES || turn->crash.trace == OLV_TRACE_NOT_DONE)
        return OLV_NO;
    return is_there == OLV_NO && turn->crash.trace == OLV_TRACE_DONE ? OLV_YES : OLV_UNKNOWN;
}

static const struct hooks ending = {.needs = NEEDS_NOTE, .apply = end, .applied = ending_applied};

const struct source source_tree = {.ways = {[OLV_END] = &ending}};
