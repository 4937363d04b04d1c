/* SPDX-License-Identifier: Apache-2.0 */
#include "pack/zip_parts.h"

#include "base/bytes.h"

#include <stdlib.h>
#include <string.h>

enum { LONGEST_COMMENT = 65535 };

static bool zip_end_damaged(struct olv_error *err, const char *what, uint64_t at)
{
    return olv_fail(err, OLV_BROKEN, "the zip archive is damaged: %s, at byte %llu", what,
                    (unsigned long long)at);
}

/* Searches for the end record, which a comment may follow. */
static bool find_record(const struct pack_source *source, uint64_t *at, uint8_t record[ZIP_END],
                        struct olv_error *err)
{
    uint64_t size = source->size,
             window = size < ZIP_END + LONGEST_COMMENT ? size : ZIP_END + LONGEST_COMMENT;
    uint8_t *tail = calloc(1, (size_t)window + 1);
    bool is_found = false;
    if (!tail)
        return olv_fail_memory(err);
    if (window >= ZIP_END && pack_read(source, tail, (size_t)window, size - window, err))
        for (uint64_t i = window - ZIP_END + 1; !is_found && i-- > 0;)
            if (bytes_get32(tail + i) == ZIP_END_MAGIC &&
                bytes_get16(tail + i + 20) <= window - i - ZIP_END) {
                *at = size - window + i;
                memcpy(record, tail + i, ZIP_END);
                is_found = true;
            }
    free(tail);
    return is_found || (err->code == OLV_OK && zip_end_damaged(err, "its directory is not there", size));
}

static bool is_record64(const struct pack_source *source, uint64_t at, uint8_t record[ZIP_END64])
{
    struct olv_error ignored = {0};
    return pack_read(source, record, ZIP_END64, at, &ignored) && bytes_get32(record) == ZIP_END64_MAGIC;
}

/* The larger record of zip64, if a locator before the end record points to it. `*at` moves to where the
 * records begin. */
static bool find_record64(const struct pack_source *source, uint64_t *at, struct zip_end *out,
                          struct olv_error *err)
{
    uint8_t locator[ZIP_LOCATOR64] = {0}, record[ZIP_END64] = {0};
    struct olv_error ignored = {0};
    uint64_t said;
    if (*at < ZIP_LOCATOR64 || !pack_read(source, locator, ZIP_LOCATOR64, *at - ZIP_LOCATOR64, &ignored) ||
        bytes_get32(locator) != ZIP_LOCATOR64_MAGIC)
        return true;
    said = bytes_get64(locator + 8);
    if (is_record64(source, said, record))
        *at = said;
    else if (*at >= ZIP_LOCATOR64 + ZIP_END64 && /* where it is if something precedes the archive */
             is_record64(source, *at - ZIP_LOCATOR64 - ZIP_END64, record))
        *at -= ZIP_LOCATOR64 + ZIP_END64;
    else
        return zip_end_damaged(err, "the end of its directory", said);
    out->members = bytes_get64(record + 32);
    out->begin = bytes_get64(record + 48);
    out->end = out->begin + bytes_get64(record + 40);
    return true;
}

/* A gap between directory and records means that something precedes the archive, if the directory is found
 * that much later. */
static void find_shift(const struct pack_source *source, uint64_t records_at, struct zip_end *out)
{
    struct olv_error ignored = {0};
    uint8_t magic[4] = {0};
    uint64_t shift = records_at > out->end ? records_at - out->end : 0;
    if (shift == 0 || out->members == 0 ||
        !pack_read(source, magic, sizeof magic, out->begin + shift, &ignored) ||
        bytes_get32(magic) != ZIP_CENTRAL_MAGIC)
        return;
    out->shift = shift;
    out->begin += shift;
    out->end += shift;
}

bool zip_find_end(const struct pack_source *source, struct zip_end *out, struct olv_error *err)
{
    uint8_t record[ZIP_END] = {0};
    uint64_t at = 0;
    if (!find_record(source, &at, record, err))
        return false;
    *out = (struct zip_end){.members = bytes_get16(record + 10), .begin = bytes_get32(record + 16)};
    out->end = out->begin + bytes_get32(record + 12);
    if (!find_record64(source, &at, out, err))
        return false;
    find_shift(source, at, out);
    return (out->begin <= out->end && out->end <= source->size) ||
           zip_end_damaged(err, "its directory lies outside the archive", out->begin);
}
