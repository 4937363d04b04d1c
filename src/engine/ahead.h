/* SPDX-License-Identifier: Apache-2.0 */
/* Prepares the entries of a page on a second thread, slightly ahead of the one that carries them out: each
 * act makes or moves two files, and one of them is then already in place. */
#ifndef OLV_ENGINE_AHEAD_H
#define OLV_ENGINE_AHEAD_H

#include "source/hooks.h"

struct ahead;

/* NULL: there is no second processor or no thread, and nothing is prepared. */
struct ahead *ahead_new(const char *run, struct olv_instant now);
void ahead_free(struct ahead *ahead);

/* From here on, files on this mount go to this trash. */
void ahead_know(struct ahead *ahead, uint64_t mount, struct olv_trash *trash);
/* Starts a page, which must live until ahead_end: the sequence number of the entry before its first, and
 * whether the batch has few entries. */
void ahead_begin(struct ahead *ahead, const struct olv_text *page, uint64_t sequence, bool is_small);
/* What was prepared for the entry with this number; ask once for each, in order. */
struct ahead_made *ahead_take(struct ahead *ahead, uint64_t number);
/* Takes back what was prepared but not used. NULL is allowed. */
void ahead_drop(struct ahead_made *prepared);
/* Ends the page, and drops what was prepared but not taken. */
void ahead_end(struct ahead *ahead);

#endif
