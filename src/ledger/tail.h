/* SPDX-License-Identifier: Apache-2.0 */
/* What stands behind the checkpoint, and is signed by the next one: only what the open run can have written.
 * Anybody can add lines to a file; so their run must be the one that is open and have begun, an intent must
 * fit its docket, and an outcome must be the only one of an entry of a docket. */
#ifndef OLV_LEDGER_TAIL_H
#define OLV_LEDGER_TAIL_H

#include "ledger/files.h"

/* The first line that does not belong there. */
struct tail_fault {
    const char *what;            /* NULL: there is none */
    uint64_t line, at;           /* its number in the ledger; in its file, from 1 */
    char file[LEDGER_NAME_SIZE]; /* in the ledger's directory */
};

/* `state` and `dir` are the state directory and the ledger in it; `covered` lines are signed. False with
 * `err` where they cannot be read. */
bool tail_examine(int state, int dir, uint64_t covered, struct tail_fault *out, struct olv_error *err);

#endif
