/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by the files of tar: tar_block.c has the header block, tar_records.c extended headers; tar_read.c
 * goes from member to member, tar_map.c reads the maps of sparse files. */
#ifndef OLV_PACK_TAR_PARTS_H
#define OLV_PACK_TAR_PARTS_H

#include "base/arena.h"
#include "olvido/error.h"
#include "olvido/member.h"
#include "pack/tar.h"

#include <stdbool.h>
#include <stdint.h>

/* ---- the header block: fields of fixed places (POSIX.1-2001, `pax`, "ustar Interchange Format") ---- */

struct tar_block {
    char name[100], mode[8], uid[8], gid[8], size[12], mtime[12], chksum[8], typeflag, linkname[100];
    char magic[6], version[2], uname[32], gname[32], devmajor[8], devminor[8], prefix[155], pad[12];
};

_Static_assert(sizeof(struct tar_block) == 512, "a header is a block");

/* The older vendor's sparse header, in place of `prefix`: four pairs of offset and length. */
enum {
    TAR_OLD_SPARSE_AT = 386,
    TAR_OLD_SPARSE_PAIRS = 4,
    TAR_OLD_SPARSE_MORE = 482,
    TAR_OLD_REAL_SIZE = 483
};
/* And the blocks after it, with this many pairs each. */
enum { TAR_SPARSE_BLOCK_PAIRS = 21, TAR_SPARSE_BLOCK_MORE = 504 };

/* Octal digits, or a base-256 number (the customary extension for large values): false if neither. */
bool tar_get_number(const char *field, unsigned len, int64_t *out);
/* Writes octal digits; false if the number does not fit. */
bool tar_put_number(char *field, unsigned len, uint64_t number);
/* The sum of all bytes, with the checksum's own as blanks. */
uint32_t tar_checksum(const struct tar_block *block);
bool tar_checksum_is_right(const struct tar_block *block);

/* ---- records of an extended header ("pax Extended Header"): "LENGTH KEY=VALUE\n" ---- */

enum { TAR_MOST_ATTRIBUTES = 1000, TAR_MOST_EXTENTS = 1 << 20 };

/* What records said; strings are in the arena. Unset members are zero. */
struct tar_said {
    const char *path, *link, *owner_name, *group_name, *acl, *acl_default;
    bool has_size, has_owner, has_group, has_modified, has_accessed, has_real_size;
    uint64_t size_bytes, real_size;
    uint32_t owner, group;
    struct olv_instant modified, accessed;
    struct olv_member_attribute *attributes;
    size_t attribute_count, attribute_cap;
    /* Of a sparse file: the version of its map, and the map if it is in the records. */
    bool is_sparse, has_map_in_data;
    uint64_t extents_left; /* version 0.0: pairs announced but not read yet */
    struct olv_extent *extents;
    size_t extent_count, extent_cap;
};

/* Reads all records; later ones win. False with OLV_BROKEN or OLV_MEMORY. */
bool tar_read_records(const char *bytes, size_t len, struct olv_arena *arena, struct tar_said *said,
                      struct olv_error *err);
/* Adds a range of data: it must start after the last one. */
bool tar_add_extent(struct tar_said *said, struct olv_arena *arena, uint64_t at, uint64_t length,
                    struct olv_error *err);
/* A decimal number up to `end`; false if there is none, or it is too large. Moves `*at` past it. */
bool tar_decimal(const char **at, const char *end, uint64_t *out);

/* ---- the inside of a reader ---- */

struct tar_reader {
    const struct byte_stream *stream;
    const uint8_t *bytes; /* of the stream, unused so far */
    size_t len;
    uint64_t at;            /* of the next byte, in the unpacked archive */
    struct olv_arena arena; /* of the current member */
    uint64_t header_bytes;  /* of the headers before its own, including those for all members */
    uint64_t global_bytes;
    struct olv_arena global_arena;
    struct tar_said global; /* what applies to all members from then on */
    /* The data of the current member. */
    uint64_t data_left, padding_left;
    const struct olv_extent *extents; /* NULL: all data */
    size_t extent, extent_count;
    uint64_t file_at;          /* offset of the next byte of data in the file */
    struct olv_hasher *hasher; /* of headers; NULL: not wanted */
    bool is_in_header;
    bool is_over, is_joined; /* joined: the last header read is the first of another archive */
};

/* Exactly `len` bytes into `out`, or skipped if it is NULL. */
bool tar_take(struct tar_reader *reader, void *out, uint64_t len, struct olv_error *err);
/* Reports damage in what begins at this byte. Returns false. */
bool tar_damaged(struct olv_error *err, uint64_t at, const char *what);
/* Reads the map of a sparse file into `said` and the member; does nothing for any other file. */
bool tar_read_map(struct tar_reader *reader, const struct tar_block *block, struct tar_said *said,
                  struct olv_member *member, struct olv_error *err);

#endif
