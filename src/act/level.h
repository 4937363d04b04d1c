/* SPDX-License-Identifier: Apache-2.0 */
/* The key `level` of acts that compress: its range and its default are those of the format. */
#ifndef OLV_ACT_LEVEL_H
#define OLV_ACT_LEVEL_H

#include "keys/keys.h"
#include "olvido/codec.h"

/* At this offset in the act's struct. */
#define LEVEL_KEY(offset)                                                                                    \
    {                                                                                                        \
        .name = "level", .type = OLV_KEY_NUMBER, .at = (offset), .by = OLV_BY_BOTH, .most = LEVEL_MOST,      \
        .about = "In the range of the format, which has a default."                                          \
    }
enum { LEVEL_MOST = 22 }; /* of any format */

/* `format` is the key that says the format. */
bool level_complete(int *level, enum olv_codec codec, const char *format,
                    const struct completing *completing);

#endif
