/* SPDX-License-Identifier: Apache-2.0 */
/* The words for acts and clocks. */
#include "olvido/policy.h"

const char *olv_act_word(enum olv_act_id act)
{
    static const char *const words[OLV_ACT_COUNT] = {"keep",  "tell",    "compress", "archive", "copy",
                                                     "move",  "protect", "discard",  "delete",  "destroy",
                                                     "sweep", "recover", "clear"};
    return (unsigned)act < OLV_ACT_COUNT ? words[act] : "unknown";
}

const char *olv_clock_word(enum olv_clock clock)
{
    static const char *const words[] = {"modified", "accessed", "changed", "born", "name"};
    return words[clock];
}
