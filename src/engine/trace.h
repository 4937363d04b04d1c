/* SPDX-License-Identifier: Apache-2.0 */
/* The state of each entry of the last two batches, in runs/RUN/trace, for acts that leave no other evidence.
 * Unless trace_sync was called it survives a kill only, and is not trusted after a reboot. */
#ifndef OLV_ENGINE_TRACE_H
#define OLV_ENGINE_TRACE_H

#include "source/hooks.h"

/* Opens it in the directory of a run; a descriptor, or -1: then nothing is noted. */
int trace_open(int directory, bool create);
/* These accept -1. */
/* The record is on disk: before what may leave no other trace is begun, and cannot be taken back. */
bool trace_sync(int trace);
void trace_put(int trace, uint64_t batch, uint32_t entry, enum olv_trace what);
enum olv_trace trace_get(int trace, uint64_t batch, uint32_t entry);

#endif
