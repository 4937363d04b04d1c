/* SPDX-License-Identifier: Apache-2.0 */
/* A byte for each entry of the last two batches, in runs/RUN/trace: what became of an act that leaves no
 * other trace. It is not brought to the disk: after a kill it is there, and after a restart of the machine it
 * is not believed. */
#ifndef OLV_ENGINE_TRACE_H
#define OLV_ENGINE_TRACE_H

#include "source/hooks.h"

/* Opens it in the directory of a run; a descriptor, or -1: then nothing is noted. */
int trace_open(int directory, bool create);
/* Both work with -1, too. */
void trace_put(int trace, uint64_t batch, uint32_t entry, enum olv_trace what);
enum olv_trace trace_get(int trace, uint64_t batch, uint32_t entry);

#endif
