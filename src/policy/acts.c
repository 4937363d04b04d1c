/* SPDX-License-Identifier: Apache-2.0 */
/* Looks acts up in their table. */
#include "olvido/act.h"

#include <stddef.h>
#include <string.h>

const struct olv_act *olv_act_named(const char *word)
{
    for (const struct olv_act *const *act = olv_acts; *act; act++)
        if (strcmp((*act)->word, word) == 0)
            return *act;
    return NULL;
}

const struct olv_act *olv_act_of_wire(uint8_t wire)
{
    for (const struct olv_act *const *act = olv_acts; *act; act++)
        if ((*act)->wire == wire)
            return *act;
    return NULL;
}
