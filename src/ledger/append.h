/* SPDX-License-Identifier: Apache-2.0 */
/* The appender's own state, shared between its files (append.c) and its lines (lines.c). */
#ifndef OLV_LEDGER_APPEND_H
#define OLV_LEDGER_APPEND_H

#include "base/many.h"
#include "ledger/files.h"
#include "ledger/ledger.h"

enum { SALT_SIZE = 16, SALTS = 256, LINES_TOGETHER = 64 };

/* A line that is composed, but for its digests. */
struct composed {
    size_t head_at, head_len; /* in `head`: a zero byte, and the line without `open`, closed by a brace */
    size_t open_at, open_len; /* in `open`; 0: it has none */
    size_t sealed_at;         /* in `head`: where the digits of the digest of `open` go */
};

struct olv_ledger {
    int state, dir, volume;              /* descriptors; volume is the last one, for appending */
    uint64_t volume_bytes, volume_first; /* of that one; its first line */
    struct olv_instant last_time;        /* of the last line on the disk when it was opened */
    struct olv_key *key;
    struct olv_hasher *hasher;
    struct tree tree;           /* over all lines, those in memory included */
    struct olv_text pending;    /* lines not yet written */
    struct olv_text writing;    /* those that the next olv_ledger_write writes; they come before */
    struct olv_text head, open; /* of the lines under way, one behind the other */
    struct composed lines[LINES_TOGETHER];
    size_t line_count; /* composed, and not yet in the tree */
    struct many_hasher *many;
    uint8_t salts[SALTS][SALT_SIZE];
    unsigned salts_left;
    struct crew *indexing; /* of one, which makes the index of the volume closed last; NULL: none was */
    uint64_t indexed;      /* the first line of that one */
};

/* Gives the composed lines their digests, and adds them to the tree and to the pending ones. */
void ledger_take_lines(struct olv_ledger *ledger);
/* Records that a torn tail was cut off. */
void ledger_repair(struct olv_ledger *ledger, const char *tail, size_t len);

#endif
