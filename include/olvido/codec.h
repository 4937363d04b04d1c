/* SPDX-License-Identifier: Apache-2.0 */
/* The compressed formats: gzip (RFC 1952), bzip2, xz (The .xz File Format 1.1.0), zstd (RFC 8878). */
#ifndef OLVIDO_CODEC_H
#define OLVIDO_CODEC_H

#include <stddef.h>
#include <stdint.h>

enum olv_codec {
    OLV_CODEC_NONE, /* bytes as they are */
    OLV_CODEC_GZIP,
    OLV_CODEC_BZIP2,
    OLV_CODEC_XZ,
    OLV_CODEC_ZSTD,
    OLV_CODEC_COUNT
};

/* "none", "gzip", "bzip2", "xz", "zstd". */
const char *olv_codec_word(enum olv_codec codec);
/* The codec of a word; OLV_CODEC_COUNT where it is none. */
enum olv_codec olv_codec_of_word(const char *word, size_t len);
/* "", ".gz", ".bz2", ".xz", ".zst". */
const char *olv_codec_suffix(enum olv_codec codec);
/* The codec by the end of a name, in lower case; OLV_CODEC_NONE where it is none of the suffixes. */
enum olv_codec olv_codec_of_name(const char *name);

struct olv_levels {
    int least, most, usual;
};
/* The levels of compression that a format has. */
struct olv_levels olv_codec_levels(enum olv_codec codec);

#endif
