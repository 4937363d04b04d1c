/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the reader and the writer of zip archives. Section numbers are those of PKWARE's APPNOTE 6.3.x.
 */
#ifndef OLV_PACK_ZIP_PARTS_H
#define OLV_PACK_ZIP_PARTS_H

#include "pack/source.h"

enum {
    ZIP_LOCAL = 30,      /* 4.3.7 */
    ZIP_DESCRIPTOR = 24, /* 4.3.9, with 8-byte lengths */
    ZIP_CENTRAL = 46,    /* 4.3.12 */
    ZIP_END64 = 56,      /* 4.3.14 */
    ZIP_LOCATOR64 = 20,  /* 4.3.15 */
    ZIP_END = 22         /* 4.3.16 */
};

#define ZIP_LOCAL_MAGIC      0x04034B50u
#define ZIP_DESCRIPTOR_MAGIC 0x08074B50u
#define ZIP_CENTRAL_MAGIC    0x02014B50u
#define ZIP_END64_MAGIC      0x06064B50u
#define ZIP_LOCATOR64_MAGIC  0x07064B50u
#define ZIP_END_MAGIC        0x06054B50u

/* Flags (4.4.4). */
enum { ZIP_ENCRYPTED = 1 << 0, ZIP_HAS_DESCRIPTOR = 1 << 3, ZIP_IS_UTF8 = 1 << 11 };
/* Methods (4.4.5). */
enum { ZIP_STORED = 0, ZIP_DEFLATED = 8 };
/* The upper byte of "version made by" (4.4.2). */
enum { ZIP_MADE_ON_UNIX = 3 };

/* Tags of extra fields (4.5): 8-byte lengths; the customary ones for times and owners; and our own with a
 * member's whole tar header (docs/formats/archive.md). */
enum { ZIP_TAG_64 = 0x0001, ZIP_TAG_TIMES = 0x5455, ZIP_TAG_OWNER = 0x7875, ZIP_TAG_HEADER = 0x764F };
/* In a field of times: it has the modification time. */
enum { ZIP_HAS_MODIFIED = 1 };

/* Where the directory is, according to the records at the end. */
struct zip_end {
    uint64_t begin, end; /* of the directory, in the file */
    uint64_t members;
    uint64_t shift; /* bytes before the archive, which its offsets do not count */
};

/* False with OLV_BROKEN if there is none. */
bool zip_find_end(const struct pack_source *source, struct zip_end *out, struct olv_error *err);

#endif
