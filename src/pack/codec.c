/* SPDX-License-Identifier: Apache-2.0 */
/* The names of the formats, and how to recognise them. */
#include "pack/codec.h"

#include <string.h>

static const struct {
    const char *word, *suffix;
    struct olv_levels levels;
    size_t magic_len;
    uint8_t magic[6];
} codecs[OLV_CODEC_COUNT] = {
    [OLV_CODEC_NONE] = {"none", "", {0, 0, 0}, 0, {0}},
    [OLV_CODEC_GZIP] = {"gzip", ".gz", {1, 9, 6}, 3, {0x1F, 0x8B, 8}},
    [OLV_CODEC_BZIP2] = {"bzip2", ".bz2", {1, 9, 9}, 3, {'B', 'Z', 'h'}},
    [OLV_CODEC_XZ] = {"xz", ".xz", {0, 9, 6}, 6, {0xFD, '7', 'z', 'X', 'Z', 0}},
    [OLV_CODEC_ZSTD] = {"zstd", ".zst", {1, 22, 3}, 4, {0x28, 0xB5, 0x2F, 0xFD}},
    [OLV_CODEC_ZIP] = {"zip", ".zip", {1, 9, 6}, 4, {'P', 'K', 3, 4}},
};

const struct olv_word olv_codec_words[] = {{"gzip", OLV_CODEC_GZIP},
                                           {"bzip2", OLV_CODEC_BZIP2},
                                           {"xz", OLV_CODEC_XZ},
                                           {"zstd", OLV_CODEC_ZSTD},
                                           {0}};

/* In the order of their numbers. */
const struct olv_word olv_pack_words[] = {{"tar", OLV_CODEC_NONE},
                                          {"tar.gz", OLV_CODEC_GZIP},
                                          {"tar.bz2", OLV_CODEC_BZIP2},
                                          {"tar.xz", OLV_CODEC_XZ},
                                          {"tar.zst", OLV_CODEC_ZSTD},
                                          {"zip", OLV_CODEC_ZIP},
                                          {0}};

const char *olv_codec_word(enum olv_codec codec)
{
    return codecs[codec].word;
}

enum olv_codec olv_codec_of_word(const char *word, size_t len)
{
    int c = OLV_CODEC_NONE;
    while (c < OLV_CODEC_COUNT && (strlen(codecs[c].word) != len || memcmp(codecs[c].word, word, len) != 0))
        c++;
    return (enum olv_codec)c;
}

const char *olv_codec_suffix(enum olv_codec codec)
{
    return codecs[codec].suffix;
}

enum olv_codec olv_codec_of_name(const char *name)
{
    const char *suffix = strrchr(name, '.');
    if (!suffix || suffix == name)
        return OLV_CODEC_NONE;
    for (int c = OLV_CODEC_GZIP; c < OLV_CODEC_FILES; c++)
        if (suffix[1] == codecs[c].suffix[1] && strcmp(suffix, codecs[c].suffix) == 0)
            return (enum olv_codec)c;
    return OLV_CODEC_NONE;
}

const char *olv_pack_word(enum olv_codec codec)
{
    return olv_pack_words[codec].word;
}

enum olv_codec olv_pack_of_name(const char *name, size_t *stem)
{
    size_t len = strlen(name);
    for (int c = OLV_CODEC_NONE; c < OLV_CODEC_COUNT; c++) {
        const char *word = olv_pack_word((enum olv_codec)c);
        size_t n = strlen(word) + 1;
        if (len <= n || name[len - n] != '.' || strcmp(name + len - n + 1, word) != 0)
            continue;
        if (stem)
            *stem = len - n;
        return (enum olv_codec)c;
    }
    return OLV_CODEC_COUNT;
}

struct olv_levels olv_codec_levels(enum olv_codec codec)
{
    return codecs[codec].levels;
}

/* A zstd file may start with a skippable frame (RFC 8878, 3.1.2): magic 0x184D2A50 to 0x184D2A5F. */
static int is_skippable(const uint8_t *head, size_t len)
{
    return len >= 4 && (head[0] & 0xF0) == 0x50 && head[1] == 0x2A && head[2] == 0x4D && head[3] == 0x18;
}

enum olv_codec codec_detect(const uint8_t *head, size_t len)
{
    for (int c = OLV_CODEC_GZIP; c < OLV_CODEC_FILES; c++)
        if (len >= codecs[c].magic_len && memcmp(head, codecs[c].magic, codecs[c].magic_len) == 0)
            return (enum olv_codec)c;
    return is_skippable(head, len) ? OLV_CODEC_ZSTD : OLV_CODEC_NONE;
}

/* "BZh" and a digit are followed by the magic of the first block: pi in binary-coded decimals. */
static bool goes_on_as_bzip2(const uint8_t *mark, size_t len)
{
    static const uint8_t pi[] = {0x31, 0x41, 0x59, 0x26, 0x53, 0x59};
    return len >= 4 + sizeof pi && mark[3] >= '1' && mark[3] <= '9' && memcmp(mark + 4, pi, sizeof pi) == 0;
}

bool codec_begins(enum olv_codec codec, const uint8_t *mark, size_t len)
{
    enum { GZIP_RESERVED = 0xE0 }; /* reserved flags (RFC 1952, 2.3.1) */
    size_t n = codecs[codec].magic_len;
    if (n == 0 || len < n || memcmp(mark, codecs[codec].magic, n) != 0)
        return false;
    if (codec == OLV_CODEC_BZIP2)
        return goes_on_as_bzip2(mark, len);
    return codec != OLV_CODEC_GZIP || (len > n && !(mark[n] & GZIP_RESERVED));
}

int codec_first_byte(enum olv_codec codec)
{
    return codecs[codec].magic[0];
}
