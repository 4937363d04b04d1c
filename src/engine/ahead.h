/* SPDX-License-Identifier: Apache-2.0 */
/* Preparing the entries of a batch in a second thread, a little ahead of the one that carries them out: of
 * two files that each act makes or moves, one is then in place already. */
#ifndef OLV_ENGINE_AHEAD_H
#define OLV_ENGINE_AHEAD_H

#include "source/hooks.h"

struct ahead;

/* NULL: there is no second processor or no thread for it, and nothing is prepared. */
struct ahead *ahead_new(const char *run, struct olv_instant now);
void ahead_free(struct ahead *ahead);

/* From here on what lies on this mount goes to this trash. */
void ahead_know(struct ahead *ahead, uint64_t mount, struct olv_trash *trash);
/* Begins with a batch: its segment, which must stay until ahead_end, the sequence number of the entry before
 * its first, and whether it has few. */
void ahead_begin(struct ahead *ahead, const struct olv_text *segment, uint64_t sequence, bool is_small);
/* What was prepared for this entry; each is asked for once, in their order. */
struct ahead_made *ahead_take(struct ahead *ahead, uint64_t number);
/* Takes away what was prepared and not used. NULL is allowed. */
void ahead_drop(struct ahead_made *prepared);
/* Ends the batch. What was prepared and not taken is dropped. */
void ahead_end(struct ahead *ahead);

#endif
