/* SPDX-License-Identifier: Apache-2.0 */
/* Writing outcomes into the ledger beside the acts: composing and hashing a line costs about as much as the
 * act that it tells of, so a thread of its own does it. The order of lines is that of the acts. */
#ifndef OLV_RUN_RECORDER_H
#define OLV_RUN_RECORDER_H

#include "ledger/ledger.h"

struct recorder;

/* Only the recorder adds lines between recorder_add and recorder_drain. NULL without memory or thread. */
struct recorder *recorder_new(struct olv_ledger *ledger);
/* The entry's strings are borrowed until then, the others copied. */
void recorder_add(struct recorder *recorder, const struct olv_outcome_facts *facts);
/* Waits until everything that was added is a line. False when memory ran out meanwhile. */
bool recorder_drain(struct recorder *recorder);
void recorder_free(struct recorder *recorder);

#endif
