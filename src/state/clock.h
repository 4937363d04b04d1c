/* SPDX-License-Identifier: Apache-2.0 */
/* Whether the clock of the machine may be believed. */
#ifndef OLV_STATE_CLOCK_H
#define OLV_STATE_CLOCK_H

#include "state/register.h"

/* A clock that is behind the last line of the ledger, that went its own way by more than an hour since the
 * last run within the same boot, or that nobody has synchronised since the last boot, is in doubt: then false
 * with the reason in words. `last` is the time of the ledger's last line, or 0. */
bool clock_is_trusted(const struct olv_register *reg, struct olv_instant now, struct olv_instant last,
                      const char **why);
/* Notes the clock as it is now for the next run: when it is trusted, or a person was there to see it. */
bool clock_note(const struct olv_register *reg, struct olv_instant now, struct olv_error *err);

#endif
