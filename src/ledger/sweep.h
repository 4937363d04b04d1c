/* SPDX-License-Identifier: Apache-2.0 */
/* Verifies on all processors that everything is as it was written. What is not is examined line by line
 * afterwards, in verify.c. */
#ifndef OLV_LEDGER_SWEEP_H
#define OLV_LEDGER_SWEEP_H

#include "ledger/files.h"

/* What lines are compared with, and counts; read-only for the workers, except for the counts. */
struct sweep {
    int state, dir;                           /* descriptors of the state directory and its ledger */
    const uint8_t (*hashes)[OLV_SHA256_SIZE]; /* the stored ones, covered by the checkpoint */
    uint64_t covered;                         /* how many lines they cover */
    bool allows_more;                         /* a run is open, so more lines are fine */
    uint64_t removed_names, segments;         /* counts */
};

/* Whether the volume is sound from its first line, number `first`, to its end; then `*lines` counts its
 * lines, too. Any error counts as unsound: the closer look names it. Calls `tell` now and then. */
bool sweep_volume(struct sweep *sweep, uint64_t first, uint64_t *lines,
                  void (*tell)(void *self, uint64_t line), void *self);
/* The root of these hashes (RFC 9162, section 2.1.1), on all processors. False without memory. */
bool sweep_root(const uint8_t (*hashes)[OLV_SHA256_SIZE], uint64_t count, uint8_t out[OLV_SHA256_SIZE]);

/* Whether the line's `open` is what its head sealed; `*has_lost_name`: there was one, and it was removed. */
bool line_is_sealed(struct olv_hasher *hasher, const char *line, struct line_parts parts,
                    bool *has_lost_name);

/* The docket that an intent commits to. */
enum docket_finding { DOCKET_NONE, DOCKET_SOUND, DOCKET_MISSING, DOCKET_ALTERED, DOCKET_UNREAD };
/* Compares it if the line is an intent; `where` then names run and batch. DOCKET_UNREAD with `err`: it cannot
 * be read this time. */
enum docket_finding docket_of_line(int state, struct olv_hasher *hasher, struct olv_text *scratch,
                                   const char *line, size_t len, char where[128], struct olv_error *err);

#endif
