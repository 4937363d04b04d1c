/* SPDX-License-Identifier: Apache-2.0 */
/* Which step a file has had, where that cannot be noted on the file itself. */
#ifndef OLV_STATE_HAD_H
#define OLV_STATE_HAD_H

#include "state/register.h"

/* Notes a step that a file will have had, for register_store. */
bool had_note(struct olv_register *reg, const struct olv_had *had, struct olv_error *err);

#endif
