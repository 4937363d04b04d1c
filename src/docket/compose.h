/* SPDX-License-Identifier: Apache-2.0 */
/* Filling a docket: entries into segments, which become batches. */
#ifndef OLV_DOCKET_COMPOSE_H
#define OLV_DOCKET_COMPOSE_H

#include "olvido/docket.h"

struct composing {
    struct olv_spool *spool; /* borrowed */
    struct olv_segment_writer segment;
    struct olv_text archive; /* which the entry added last is about; "": none */
    struct olv_text scratch;
};

void compose_begin(struct composing *composing, struct olv_spool *spool);
/* A segment is closed when it is full; but what is taken out of one archive of a depot, or put into one,
 * stays in one segment, for the archive is written once for all of it. */
bool compose_add(struct composing *composing, const struct olv_docket_entry *entry, struct olv_error *err);
/* Adds what is left; nothing is added after that. Frees it in any case. */
bool compose_end(struct composing *composing, struct olv_error *err);
void compose_abandon(struct composing *composing);

#endif
