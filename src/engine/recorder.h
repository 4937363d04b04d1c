/* SPDX-License-Identifier: Apache-2.0 */
/* Writing into the ledger beside the acts: composing and hashing a line costs about as much as the act that
 * it tells of, so a thread of its own does it. The order of lines is that in which they were added. */
#ifndef OLV_ENGINE_RECORDER_H
#define OLV_ENGINE_RECORDER_H

#include "ledger/ledger.h"

struct recorder;

/* Only the recorder adds lines before recorder_drain. NULL without memory or thread. */
struct recorder *recorder_new(struct olv_ledger *ledger);
/* All strings are copied but the run's name, which is borrowed until then. */
void recorder_add(struct recorder *recorder, const struct olv_outcome_facts *facts);
/* Adds the intent, where there is one (its run is borrowed), and collects (olv_ledger_collect) what was added
 * up to it; nothing is being written then. */
void recorder_collect(struct recorder *recorder, const struct olv_intent_facts *intent);
/* Waits until that has happened. Called in any thread that knows of it. */
void recorder_await_collected(struct recorder *recorder);
/* Waits until everything that was added is a line. False when memory ran out meanwhile. */
bool recorder_drain(struct recorder *recorder);
void recorder_free(struct recorder *recorder);

#endif
