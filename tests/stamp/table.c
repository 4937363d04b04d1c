/* SPDX-License-Identifier: Apache-2.0 */
/* The table of a program that has one act more. */
#include "act/acts.h"

#include <stddef.h>

extern const struct olv_act act_stamp;

const struct olv_act *const olv_acts[] = {&act_keep,    &act_tell,    &act_compress, &act_decompress,
                                          &act_archive, &act_discard, &act_delete,   &act_clear,
                                          &act_recover, &act_stamp,   NULL};
