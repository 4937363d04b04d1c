/* SPDX-License-Identifier: Apache-2.0 */
/* The appender's own state, shared between its files (append.c) and its lines (lines.c). */
#ifndef OLV_LEDGER_APPEND_H
#define OLV_LEDGER_APPEND_H

#include "ledger/files.h"
#include "ledger/ledger.h"

enum { SALT_SIZE = 16, SALTS = 256 };

struct olv_ledger {
    int dir, segment;                      /* descriptors; segment is the last one, for appending */
    uint64_t segment_bytes, segment_first; /* of that one; its first line */
    struct olv_instant last_time;          /* of the last line on the disk when it was opened */
    struct olv_key *key;
    struct olv_hasher *hasher;
    struct tree tree;           /* over all lines, those in memory included */
    struct olv_text pending;    /* lines not yet written */
    struct olv_text writing;    /* those that the next olv_ledger_write writes; they come before */
    struct olv_text head, open; /* of the line under way */
    uint8_t salts[SALTS][SALT_SIZE];
    unsigned salts_left;
};

/* Records that a torn tail was cut off. */
void ledger_repair(struct olv_ledger *ledger, const char *tail, size_t len);

#endif
