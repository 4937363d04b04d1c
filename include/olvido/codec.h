/* SPDX-License-Identifier: Apache-2.0 */
/* The compressed formats: gzip (RFC 1952), bzip2, xz (The .xz File Format 1.1.0), zstd (RFC 8878); and zip,
 * which only packs members of an archive. */
#ifndef OLVIDO_CODEC_H
#define OLVIDO_CODEC_H

#include "olvido/word.h"

#include <stddef.h>
#include <stdint.h>

/* These numbers are stored in catalogues. */
enum olv_codec {
    OLV_CODEC_NONE = 0, /* uncompressed */
    OLV_CODEC_GZIP = 1,
    OLV_CODEC_BZIP2 = 2,
    OLV_CODEC_XZ = 3,
    OLV_CODEC_ZSTD = 4,
    OLV_CODEC_ZIP = 5,
    OLV_CODEC_COUNT,
    OLV_CODEC_FILES = OLV_CODEC_ZIP /* the ones before it also compress single files */
};

/* "none", "gzip", "bzip2", "xz", "zstd", "zip". */
const char *olv_codec_word(enum olv_codec codec);
/* Those that compress single files, by word. */
extern const struct olv_word olv_codec_words[];
/* The codec for a word; OLV_CODEC_COUNT if there is none. */
enum olv_codec olv_codec_of_word(const char *word, size_t len);
/* "", ".gz", ".bz2", ".xz", ".zst", ".zip". */
const char *olv_codec_suffix(enum olv_codec codec);
/* The codec by the suffix of a file name, in lower case; OLV_CODEC_NONE if it has none of the suffixes. */
enum olv_codec olv_codec_of_name(const char *name);

/* What archives are called by their packing: "tar", "tar.gz", "tar.bz2", "tar.xz", "tar.zst", "zip". */
const char *olv_pack_word(enum olv_codec codec);
extern const struct olv_word olv_pack_words[];
/* The packing by the suffix of an archive's name; OLV_CODEC_COUNT if it is none of these. `*stem` (may be
 * NULL) gets the length of the part before it. */
enum olv_codec olv_pack_of_name(const char *name, size_t *stem);

struct olv_levels {
    int least, most, usual;
};
/* The compression levels of a format. */
struct olv_levels olv_codec_levels(enum olv_codec codec);

#endif
