/* SPDX-License-Identifier: Apache-2.0 */
/* Writes into the ledger beside the acts: composing and hashing a line costs about as much as the act itself,
 * so a thread of its own does it. Lines keep the order in which they were added. */
#ifndef OLV_ENGINE_RECORDER_H
#define OLV_ENGINE_RECORDER_H

#include "ledger/ledger.h"

struct recorder;

/* Until recorder_drain, only the recorder adds lines. NULL without memory or thread. */
struct recorder *recorder_new(struct olv_ledger *ledger);
/* Copies all strings, except for the run's name, which is borrowed until then. */
void recorder_add(struct recorder *recorder, const struct olv_outcome_facts *facts);
/* Adds the intent, if any (its run is borrowed), and collects (olv_ledger_collect) everything added so far;
 * nothing may be writing at that time. */
void recorder_collect(struct recorder *recorder, const struct olv_intent_facts *intent);
/* Waits until that has happened. Any thread may call it. */
void recorder_await_collected(struct recorder *recorder);
/* Waits until everything added is a line. False if memory ran out. */
bool recorder_drain(struct recorder *recorder);
void recorder_free(struct recorder *recorder);

#endif
