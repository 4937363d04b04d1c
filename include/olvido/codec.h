/* SPDX-License-Identifier: Apache-2.0 */
/* The compressed formats: gzip (RFC 1952), bzip2, xz (The .xz File Format 1.1.0), zstd (RFC 8878); and zip,
 * which packs the members of an archive one by one, and nothing else. */
#ifndef OLVIDO_CODEC_H
#define OLVIDO_CODEC_H

#include <stddef.h>
#include <stdint.h>

/* The numbers stand in catalogues. */
enum olv_codec {
    OLV_CODEC_NONE = 0, /* bytes as they are */
    OLV_CODEC_GZIP = 1,
    OLV_CODEC_BZIP2 = 2,
    OLV_CODEC_XZ = 3,
    OLV_CODEC_ZSTD = 4,
    OLV_CODEC_ZIP = 5,
    OLV_CODEC_COUNT,
    OLV_CODEC_FILES = OLV_CODEC_ZIP /* those before pack single files, too */
};

/* "none", "gzip", "bzip2", "xz", "zstd", "zip". */
const char *olv_codec_word(enum olv_codec codec);
/* The codec of a word; OLV_CODEC_COUNT where it is none. */
enum olv_codec olv_codec_of_word(const char *word, size_t len);
/* "", ".gz", ".bz2", ".xz", ".zst", ".zip". */
const char *olv_codec_suffix(enum olv_codec codec);
/* The codec of a packed file by the end of its name, in lower case; OLV_CODEC_NONE where it is none of the
 * suffixes. */
enum olv_codec olv_codec_of_name(const char *name);

/* What archives are called, by how they are packed: "tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst", "zip".
 */
const char *olv_pack_word(enum olv_codec codec);
/* How the archive of this name is packed; OLV_CODEC_COUNT where it does not end with a dot and one of these
 * words.
 * `*stem` (NULL: not asked) is the length of what stands before. */
enum olv_codec olv_pack_of_name(const char *name, size_t *stem);

struct olv_levels {
    int least, most, usual;
};
/* The levels of compression that a format has. */
struct olv_levels olv_codec_levels(enum olv_codec codec);

#endif
