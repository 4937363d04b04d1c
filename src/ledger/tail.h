/* SPDX-License-Identifier: Apache-2.0 */
/* Lines after the checkpoint, which the next checkpoint will sign, may only be what the open run can have
 * written. Anybody can add lines to a file; so their run must be the open one and have begun, an intent must
 * match its docket, and an outcome must be the only one for an entry of a docket. */
#ifndef OLV_LEDGER_TAIL_H
#define OLV_LEDGER_TAIL_H

#include "ledger/files.h"

/* The first line that does not belong there. */
struct tail_fault {
    const char *what;            /* NULL: there is none */
    uint64_t line, at;           /* its number in the ledger; in its file, from 1 */
    char file[LEDGER_NAME_SIZE]; /* in the ledger's directory */
};

/* `state` and `dir` are the state directory and its ledger; `covered` lines are signed. False with `err` if
 * they cannot be read. */
bool tail_examine(int state, int dir, uint64_t covered, struct tail_fault *out, struct olv_error *err);

#endif
