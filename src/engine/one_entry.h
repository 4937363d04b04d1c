/* SPDX-License-Identifier: Apache-2.0 */
/* The act of one entry, in its turn. */
#ifndef OLV_ENGINE_ONE_ENTRY_H
#define OLV_ENGINE_ONE_ENTRY_H

#include "engine/batch.h"

/* Whether it can be touched, as far as is known now; otherwise the outcome says why not. */
bool one_is_ready(struct carrying *carrying, struct turn *turn, struct olv_docket_entry *entry,
                  struct olv_outcome *outcome);
/* Carries out the act if it can be; the outcome says what became of it. False: it could not. `turn` may be
 * another than the run's for acts that need nothing of it but its session: then several threads may do this,
 * each with its own. */
bool one_do(struct carrying *carrying, struct turn *turn, struct olv_docket_entry *entry,
            struct olv_outcome *outcome);
/* The directory of the turn's last entry is synced before that one's outcome is written. */
bool one_note_source(struct carrying *carrying, const struct turn *turn, struct olv_error *err);

#endif
