/* SPDX-License-Identifier: Apache-2.0 */
/* The acts, in the order of closing lines. */
#include "act/acts.h"

#include <stddef.h>

const struct olv_act *const olv_acts[] = {
    &act_keep,    &act_tell,   &act_compress, &act_decompress, &act_archive,
    &act_discard, &act_delete, &act_clear,    &act_recover,    NULL,
};
