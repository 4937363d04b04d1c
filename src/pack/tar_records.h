/* SPDX-License-Identifier: Apache-2.0 */
/* Records of an extended header (POSIX.1-2001, `pax`, "pax Extended Header"): "LENGTH KEY=VALUE\n". */
#ifndef OLV_PACK_TAR_RECORDS_H
#define OLV_PACK_TAR_RECORDS_H

#include "base/arena.h"
#include "olvido/error.h"
#include "olvido/member.h"

enum { TAR_MOST_ATTRIBUTES = 1000, TAR_MOST_EXTENTS = 1 << 20 };

/* What records said; strings live in the arena. Members not said are zero. */
struct tar_said {
    const char *path, *link, *owner_name, *group_name, *acl, *acl_default;
    bool has_size, has_owner, has_group, has_modified, has_accessed, has_real_size;
    uint64_t size_bytes, real_size;
    uint32_t owner, group;
    struct olv_instant modified, accessed;
    struct olv_member_attribute *attributes;
    size_t attribute_count, attribute_cap;
    /* Of a sparse file: the version of its map, and the map where it stands in the records. */
    bool is_sparse, has_map_in_data;
    uint64_t extents_left; /* version 0.0: pairs that were announced and not read */
    struct olv_extent *extents;
    size_t extent_count, extent_cap;
};

/* Reads all records; later ones win. False with OLV_BROKEN, or OLV_MEMORY. */
bool tar_read_records(const char *bytes, size_t len, struct olv_arena *arena, struct tar_said *said,
                      struct olv_error *err);
/* Adds a stretch of data: it must begin behind the last one. */
bool tar_add_extent(struct tar_said *said, struct olv_arena *arena, uint64_t at, uint64_t length,
                    struct olv_error *err);
/* A decimal number up to `end`; false where there is none, or it is too large. Moves `*at` behind it. */
bool tar_decimal(const char **at, const char *end, uint64_t *out);

#endif
