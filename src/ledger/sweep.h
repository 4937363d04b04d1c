/* SPDX-License-Identifier: Apache-2.0 */
/* Verifying with all cores: is everything as it was written? What is not is looked at more closely
 * afterwards, line by line, in verify.c. */
#ifndef OLV_LEDGER_SWEEP_H
#define OLV_LEDGER_SWEEP_H

#include "ledger/files.h"

/* What a line is compared with, and what was counted; read-only for the workers but `counts`. */
struct sweep {
    int state, dir;                           /* descriptors of the state directory and of the ledger in it */
    const uint8_t (*hashes)[OLV_SHA256_SIZE]; /* the stored ones, vouched for by the checkpoint */
    uint64_t covered;                         /* how many lines they cover */
    bool allows_more;                         /* a run is open, so lines behind those are fine */
    uint64_t removed_names, segments;         /* counted */
};

/* Whether the volume is sound from its first line, number `first`, to its end; `*lines` are then counted,
 * too. An error counts as not sound: looking closely will name it. `tell` is called now and then. */
bool sweep_volume(struct sweep *sweep, uint64_t first, uint64_t *lines,
                  void (*tell)(void *self, uint64_t line), void *self);
/* The root of these hashes (RFC 9162, section 2.1.1), by all cores. False without memory. */
bool sweep_root(const uint8_t (*hashes)[OLV_SHA256_SIZE], uint64_t count, uint8_t out[OLV_SHA256_SIZE]);

/* Whether what is open in the line is what its head sealed; `*has_lost_name`: there was something, and it was
 * taken out. */
bool line_is_sealed(struct olv_hasher *hasher, const char *line, struct line_parts parts,
                    bool *has_lost_name);

/* The docket that an intent commits to. */
enum docket_finding { DOCKET_NONE, DOCKET_SOUND, DOCKET_MISSING, DOCKET_ALTERED, DOCKET_UNREAD };
/* Compares it, if the line is an intent; `where` then says of which run and batch. DOCKET_UNREAD with `err`:
 * it cannot be read just now. */
enum docket_finding docket_of_line(int state, struct olv_hasher *hasher, struct olv_text *scratch,
                                   const char *line, size_t len, char where[128], struct olv_error *err);

#endif
