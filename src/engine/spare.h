/* SPDX-License-Identifier: Apache-2.0 */
/* What spares an entry right before its act: holds, the register and open files may have changed since
 * planning. */
#ifndef OLV_ENGINE_SPARE_H
#define OLV_ENGINE_SPARE_H

#include "engine/run.h"

/* True with the reason in the outcome. Its directory is open. */
bool spare_entry(struct olv_run *run, const struct olv_docket_entry *entry, struct olv_outcome *outcome);

#endif
