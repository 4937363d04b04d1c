/* SPDX-License-Identifier: Apache-2.0 */
#include "act/level.h"

#include <stdio.h>

bool level_complete(int *level, enum olv_codec codec, const char *format, const struct completing *c)
{
    struct olv_levels levels = olv_codec_levels(codec);
    char range[48];
    if (!key_is_given(c, "level")) {
        *level = levels.usual;
        return true;
    }
    if (codec == OLV_CODEC_NONE)
        return key_fails(c, "level", format, "", "without compression there is no level");
    snprintf(range, sizeof range, "%d to %d", levels.least, levels.most);
    return (*level >= levels.least && *level <= levels.most) ||
           key_fails(c, "level", format, range, "%s has no level %d", olv_codec_word(codec), *level);
}
