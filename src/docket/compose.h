/* SPDX-License-Identifier: Apache-2.0 */
/* Filling a docket: entries into segments, which become batches. */
#ifndef OLV_DOCKET_COMPOSE_H
#define OLV_DOCKET_COMPOSE_H

#include "olvido/docket.h"

/* What tells the entries that must not be parted, because what is done to them is written once: appends the
 * same to `out` for each of them, and nothing for one by itself. */
typedef void (*compose_key)(const struct olv_docket_entry *entry, struct olv_text *out);

struct composing {
    struct olv_spool *spool; /* borrowed */
    struct olv_segment_writer segment;
    compose_key key_of;
    struct olv_text key; /* of the entry added last */
    struct olv_text scratch;
};

/* `key_of` NULL: each is by itself. */
void compose_begin(struct composing *composing, struct olv_spool *spool, compose_key key_of);
/* A segment is closed when it is full; but what has one key stays in one segment. */
bool compose_add(struct composing *composing, const struct olv_docket_entry *entry, struct olv_error *err);
/* Adds what is left; nothing is added after that. Frees it in any case. */
bool compose_end(struct composing *composing, struct olv_error *err);
void compose_abandon(struct composing *composing);

#endif
