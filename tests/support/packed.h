/* SPDX-License-Identifier: Apache-2.0 */
/* Packed bytes in memory, and bytes that look like the observatory's records. */
#ifndef TESTS_PACKED_H
#define TESTS_PACKED_H

#include "olvido/text.h"
#include "pack/source.h"

/* A source over the text's bytes, which it borrows. */
struct pack_source memory_source(const struct olv_text *bytes);
/* Appends so many bytes of readings: they compress, but not to nothing. The same for the same seed. */
void add_readings(struct olv_text *out, size_t len, unsigned seed);
/* Packs the bytes in frames, as the product does. */
void pack_frames(const struct olv_text *plain, int codec, int level, struct olv_text *out);
/* Unpacks all; false with the error. `out` has what came before it. */
bool unpack_all(const struct olv_text *packed, int codec, unsigned workers, struct olv_text *out,
                struct olv_error *err);

#endif
