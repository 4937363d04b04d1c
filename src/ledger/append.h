/* SPDX-License-Identifier: Apache-2.0 */
/* The appender's internals, shared by files (append.c) and lines (lines.c). */
#ifndef OLV_LEDGER_APPEND_H
#define OLV_LEDGER_APPEND_H

#include "base/many.h"
#include "ledger/files.h"
#include "ledger/ledger.h"

enum { SALT_SIZE = 16, SALTS = 256, LINES_TOGETHER = 64 };

/* A composed line without its digests. */
struct composed {
    size_t head_at, head_len; /* in `head`: a zero byte, then the line without `open`, closed by a brace */
    size_t open_at, open_len; /* in `open`; 0: none */
    size_t sealed_at;         /* in `head`: where the hex digest of `open` goes */
};

struct olv_ledger {
    int state, dir, volume;              /* descriptors; `volume` is the last one, for appending */
    uint64_t volume_bytes, volume_first; /* of that volume; its first line */
    struct olv_instant last_time;        /* of the last line on disk when it was opened */
    struct olv_key *key;
    struct olv_hasher *hasher;
    struct tree tree;           /* over all lines, including those in memory */
    struct olv_text pending;    /* lines not yet written */
    struct olv_text writing;    /* those that the next olv_ledger_write writes; they come first */
    struct olv_text head, open; /* of the lines in progress, one after the other */
    struct composed lines[LINES_TOGETHER];
    size_t line_count; /* composed, not yet in the tree */
    struct many_hasher *many;
    uint8_t salts[SALTS][SALT_SIZE];
    unsigned salts_left;
    struct crew *indexing; /* of one thread, which indexes the volume closed last; NULL: none was */
    uint64_t indexed;      /* that volume's first line */
};

/* Digests the composed lines, and adds them to the tree and to `pending`. */
void ledger_take_lines(struct olv_ledger *ledger);
/* Records that a torn line was cut off. */
void ledger_repair(struct olv_ledger *ledger, const char *tail, size_t len);

#endif
