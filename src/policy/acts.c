/* SPDX-License-Identifier: Apache-2.0 */
/* The words for acts and clocks. */
#include "olvido/policy.h"

const char *olv_act_word(enum olv_act_id act)
{
    static const char *const words[OLV_ACT_COUNT] = {
        "keep",   "tell",    "compress", "archive", "copy",  "move",       "protect", "discard",
        "delete", "destroy", "sweep",    "recover", "clear", "decompress", "recover", "delete"};
    return (unsigned)act < OLV_ACT_COUNT ? words[act] : "unknown";
}

bool olv_act_is_final(enum olv_act_id act)
{
    return act == OLV_ACT_DELETE || act == OLV_ACT_DESTROY || act == OLV_ACT_CLEAR || act == OLV_ACT_THIN;
}

bool olv_act_is_limited(enum olv_act_id act)
{
    return act == OLV_ACT_ARCHIVE || act == OLV_ACT_MOVE || act == OLV_ACT_DISCARD || act == OLV_ACT_DELETE ||
           act == OLV_ACT_DESTROY;
}

const char *olv_clock_word(enum olv_clock clock)
{
    static const char *const words[] = {"modified", "accessed", "changed", "born", "name"};
    return words[clock];
}
