/* SPDX-License-Identifier: Apache-2.0 */
/* The acts. To add one: a file in this folder, and a line in table.c. */
#ifndef OLV_ACT_ACTS_H
#define OLV_ACT_ACTS_H

#include "olvido/act.h"
#include "source/hooks.h"

extern const struct olv_act act_keep, act_tell, act_compress, act_decompress, act_archive, act_discard,
    act_delete, act_clear, act_recover;

#endif
