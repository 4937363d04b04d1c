/* SPDX-License-Identifier: Apache-2.0 */
/* What the writer and the reader of a segment share: a magic number, then records: first the kind, then
 * little-endian numbers of fixed width. */
#ifndef OLV_DOCKET_SEGMENT_H
#define OLV_DOCKET_SEGMENT_H

#include "docket/wire.h"
#include "olvido/docket.h"

/* Lengths of fixed parts. */
enum { SEGMENT_NUMBERS = 40 + 4 * WIRE_INSTANT + 5, SEGMENT_CONTENTS = 32 + WIRE_INSTANT };

/* Numbers in a segment keep their meaning for ever. */
#define FIXED(name, number) _Static_assert((name) == (number), #name " has another number on disks")
FIXED(OLV_REFUSE, 0);
FIXED(OLV_NUMBER, 2);
FIXED(OLV_REPLACE, 4);
FIXED(OLV_KIND_FILE, 1);
FIXED(OLV_KIND_DIRECTORY, 2);
FIXED(OLV_KIND_DEVICE, 6);

static const char SEGMENT_MAGIC[8] = {'O', 'L', 'V', 'D', 'O', 'C', 'K', '4'};

#endif
