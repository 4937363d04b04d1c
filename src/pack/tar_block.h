/* SPDX-License-Identifier: Apache-2.0 */
/* The header block: fields of fixed places (POSIX.1-2001, `pax`, "ustar Interchange Format"). */
#ifndef OLV_PACK_TAR_BLOCK_H
#define OLV_PACK_TAR_BLOCK_H

#include <stdbool.h>
#include <stdint.h>

struct tar_block {
    char name[100], mode[8], uid[8], gid[8], size[12], mtime[12], chksum[8], typeflag, linkname[100];
    char magic[6], version[2], uname[32], gname[32], devmajor[8], devminor[8], prefix[155], pad[12];
};

_Static_assert(sizeof(struct tar_block) == 512, "a header is a block");

/* The older vendor's sparse header, in the place of `prefix`: four pairs of offset and length. */
enum {
    TAR_OLD_SPARSE_AT = 386,
    TAR_OLD_SPARSE_PAIRS = 4,
    TAR_OLD_SPARSE_MORE = 482,
    TAR_OLD_REAL_SIZE = 483
};
/* And the blocks behind it: so many pairs in each. */
enum { TAR_SPARSE_BLOCK_PAIRS = 21, TAR_SPARSE_BLOCK_MORE = 504 };

/* Octal digits, or a number of base 256 (the customary extension for what does not fit): false where it is
 * neither. */
bool tar_get_number(const char *field, unsigned len, int64_t *out);
/* Writes octal digits; false where the number does not fit. */
bool tar_put_number(char *field, unsigned len, uint64_t number);
/* The sum of all bytes, the checksum's own taken as blanks. */
uint32_t tar_checksum(const struct tar_block *block);
bool tar_checksum_is_right(const struct tar_block *block);

#endif
