/* SPDX-License-Identifier: Apache-2.0 */
/* The files of the IANA time zone database (TZif: RFC 9636). */
#ifndef OLV_BASE_ZONE_FILE_H
#define OLV_BASE_ZONE_FILE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct zone_change {
    int64_t from; /* seconds since 1970-01-01T00:00:00Z; INT64_MIN for the first */
    int32_t offset_s;
};

struct zone_changes {
    struct zone_change *items; /* ascending, at least one; owned */
    size_t count, cap;
};

/* All changes listed in such a file, and those that its rule makes until 2200. False if the bytes are no such
 * file, or without memory. Free `out` in any case. */
bool zone_file_read(const uint8_t *bytes, size_t len, struct zone_changes *out);

#endif
