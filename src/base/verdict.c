/* SPDX-License-Identifier: Apache-2.0 */
/* The words for reasons, one list for tables, explanations and JSON. */
#include "olvido/verdict.h"

static const struct {
    const char *key, *words;
} reasons[OLV_REASON_COUNT] = {
    [OLV_DUE] = {"due", "due"},
    [OLV_KEPT] = {"kept", "kept"},
    [OLV_HAD] = {"had", "done already"},
    [OLV_STORED] = {"stored", "lies in a depot"},
    [OLV_NOT_DUE] = {"not_due", "not due yet"},
    [OLV_SETTLING] = {"settling", "spared: just modified"},
    [OLV_OPEN] = {"open", "spared: open for writing"},
    [OLV_RESPITE] = {"respite", "spared: recovered a short while ago"},
    [OLV_HELD] = {"held", "spared: held"},
    [OLV_GUARDED] = {"guarded", "guarded: never touched"},
    [OLV_WAITING] = {"waiting", "waits: not allowed unattended"},
    [OLV_NOTICE] = {"notice", "waits: the rule is new or changed"},
    [OLV_CLOCK_OFF] = {"clock_off", "waits: the clock is in doubt"},
    [OLV_INSIDE] = {"inside", "spared: for what is in it"},
    [OLV_ODD_TIME] = {"odd_time", "not due: time not believable"},
    [OLV_NO_DATE] = {"no_date", "not due: no date in the name"},
    [OLV_UNDECIDED] = {"undecided", "left alone: `where` could not be decided"},
    [OLV_GONE] = {"gone", "gone meanwhile"},
    [OLV_NOT_OWNED] = {"not_owned", "belongs to no rule"},
};

const char *olv_reason_key(enum olv_reason reason)
{
    return reasons[reason].key;
}

const char *olv_reason_words(enum olv_reason reason)
{
    return reasons[reason].words;
}
