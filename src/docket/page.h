/* SPDX-License-Identifier: Apache-2.0 */
/* What the writer and the reader of a page share: a head, then records: first the kind, then little-endian
 * numbers of fixed width. */
#ifndef OLV_DOCKET_PAGE_H
#define OLV_DOCKET_PAGE_H

#include "base/wire.h"
#include "olvido/docket.h"

/* Lengths of fixed parts. */
enum { PAGE_NUMBERS = 40 + 4 * WIRE_INSTANT + 9, PAGE_CONTENTS = 32 + WIRE_INSTANT };
/* In the place of a path's number: the root; or that there is none. In that of arguments: there are none. */
static const uint32_t PAGE_ROOT = UINT32_MAX, PAGE_NO_PATH = UINT32_MAX - 1, PAGE_NO_ARGUMENTS = UINT32_MAX;

/* Numbers in a page keep their meaning for ever. */
#define FIXED(name, number) _Static_assert((name) == (number), #name " has another number on disks")
FIXED(OLV_REFUSE, 0);
FIXED(OLV_NUMBER, 2);
FIXED(OLV_REPLACE, 4);
FIXED(OLV_KIND_FILE, 1);
FIXED(OLV_KIND_DIRECTORY, 2);
FIXED(OLV_KIND_DEVICE, 6);

static const char PAGE_MAGIC[8] = {'O', 'L', 'V', 'D', 'O', 'C', 'K', '7'};

/* Bits of a decision. */
enum { PAGE_HAS_BORN = 1, PAGE_READONLY = 2, PAGE_OTHERS = 4, PAGE_EMPTIED = 8 };

/* Where in its head the numbers are. */
enum { PAGE_LEN_AT = 8, PAGE_FIRST_AT = 12, PAGE_ENTRIES_AT = 16 };

#endif
