/* SPDX-License-Identifier: Apache-2.0 */
/* Filling a docket: entries into segments, which become batches. */
#ifndef OLV_DOCKET_COMPOSE_H
#define OLV_DOCKET_COMPOSE_H

#include "olvido/docket.h"

struct composing {
    struct olv_spool *spool; /* borrowed */
    struct olv_segment_writer segment;
    uint64_t archive; /* that the entry added last is to be taken out of (its inode); 0: of none */
};

void compose_begin(struct composing *composing, struct olv_spool *spool);
/* A segment is closed when it is full; but what is taken out of one archive stays in one segment, for the
 * archive is rewritten once for all of it. */
bool compose_add(struct composing *composing, const struct olv_docket_entry *entry, struct olv_error *err);
/* Adds what is left; nothing is added after that. Frees it in any case. */
bool compose_end(struct composing *composing, struct olv_error *err);
void compose_abandon(struct composing *composing);

#endif
