/* SPDX-License-Identifier: Apache-2.0 */
/* Going through a docket, entry by entry. */
#ifndef OLV_DOCKET_EACH_H
#define OLV_DOCKET_EACH_H

#include "olvido/docket.h"

/* False when `each` said so, or with `err`. */
bool olv_segment_each(const struct olv_text *segment, olv_each_entry each, void *self, struct olv_error *err);
/* The same for all segments; rewinds the docket before and afterwards. */
bool olv_docket_each(struct olv_spool *docket, olv_each_entry each, void *self, struct olv_error *err);

#endif
