/* SPDX-License-Identifier: Apache-2.0 */
/* The acts, in the order of closing lines. To add one: a file in this folder, and a line here. */
#ifndef OLV_ACT_ACTS_H
#define OLV_ACT_ACTS_H

#include "olvido/act.h"
#include "source/hooks.h"

#define ACTS(ACT)                                                                                            \
    ACT(act_keep)                                                                                            \
    ACT(act_tell)                                                                                            \
    ACT(act_compress)                                                                                        \
    ACT(act_decompress)                                                                                      \
    ACT(act_archive)                                                                                         \
    ACT(act_protect)                                                                                         \
    ACT(act_unprotect)                                                                                       \
    ACT(act_discard)                                                                                         \
    ACT(act_delete)                                                                                          \
    ACT(act_sweep)                                                                                           \
    ACT(act_clear)                                                                                           \
    ACT(act_recover)                                                                                         \
    ACT(act_take_back)                                                                                       \
    ACT(act_remake)

#define ACT_IS_THERE(act) extern const struct olv_act act;
ACTS(ACT_IS_THERE)

#endif
