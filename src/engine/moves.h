/* SPDX-License-Identifier: Apache-2.0 */
/* The moves in two steps that a run announces, in runs/RUN/moves (docs/formats/state.md): each is durable
 * before it is made. */
#ifndef OLV_ENGINE_MOVES_H
#define OLV_ENGINE_MOVES_H

#include "olvido/text.h"
#include "source/records.h"

struct moves {
    int fd; /* -1: none has been announced */
    uint64_t end;
};

/* Adds one, and fsyncs it. `directory` is that of the run. */
bool moves_announce(struct moves *moves, int directory, uint64_t entry, const struct announced_move *move,
                    struct olv_error *err);
/* Reads all that a dead run announced; nothing if it announced none. False with `err` if that cannot be read.
 */
bool moves_read(int directory, struct olv_text *out, struct olv_error *err);
/* The last one of an entry with this `half`, of those read: OLV_NO if there is none, or it was withdrawn. */
enum olv_truth moves_find(const struct olv_text *read, uint64_t entry, struct announced_move *out);

#endif
