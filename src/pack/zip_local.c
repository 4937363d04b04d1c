/* SPDX-License-Identifier: Apache-2.0 */
/* The header before a member's data. Our own extra field has mode and kind of file (4 bytes, as in st_mode),
 * the length of the tar header (4), and the tar header, deflated (RFC 1951). */
#include "pack/zip_frame.h"

#include "base/bytes.h"
#include "pack/put.h"
#include "pack/zip_parts.h"

#include <libdeflate.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <zlib.h>

enum {
    NEEDS = 20,    /* the version a reader needs: 2.0 */
    NEEDS_64 = 45, /* 4.5: 8-byte lengths */
    MOST_FIELDS = 65535,
    MOST_HEADER = 16 << 20,
    OWN_HEAD = 8,
    FAST = 1 /* level for headers, which are short and alike */
};

/* ---- writing ---- */

/* Seconds since 1980 in that format: a resolution of two seconds, in UTC; the nearest for what is out of
 * range. */
static uint32_t old_time(struct olv_instant t)
{
    struct olv_date d = olv_date_from_seconds(t.s);
    if (d.year < 1980)
        return 1u << 21 | 1u << 16;
    if (d.year > 2107)
        d = (struct olv_date){2107, 12, 31, 23, 59, 58};
    return (uint32_t)(d.year - 1980) << 25 | (uint32_t)d.month << 21 | (uint32_t)d.day << 16 |
           (uint32_t)d.hour << 11 | (uint32_t)d.minute << 5 | (uint32_t)d.second / 2;
}

static uint32_t mode_of(const struct olv_member *m)
{
    switch (m->kind) {
    case OLV_KIND_DIRECTORY:
        return S_IFDIR | m->mode;
    case OLV_KIND_LINK:
        return S_IFLNK | m->mode;
    case OLV_KIND_PIPE:
        return S_IFIFO | m->mode;
    case OLV_KIND_DEVICE:
        return (m->is_block ? S_IFBLK : S_IFCHR) | m->mode;
    default:
        return S_IFREG | m->mode;
    }
}

static bool is_plain_ascii(const char *text)
{
    while (*text && (unsigned char)*text < 0x80)
        text++;
    return *text == '\0';
}

static void put_times(struct olv_text *out, const struct olv_member *m)
{
    if (m->modified.s < INT32_MIN || m->modified.s > INT32_MAX)
        return;
    put16(out, ZIP_TAG_TIMES);
    put16(out, 5);
    olv_text_add(out, &(uint8_t){ZIP_HAS_MODIFIED}, 1);
    put32(out, (uint32_t)m->modified.s);
}

static void zip_local_put_owner(struct olv_text *out, const struct olv_member *m)
{
    static const uint8_t version = 1, width = 4;
    put16(out, ZIP_TAG_OWNER);
    put16(out, 11);
    olv_text_add(out, &version, 1);
    olv_text_add(out, &width, 1);
    put32(out, m->owner);
    olv_text_add(out, &width, 1);
    put32(out, m->group);
}

/* Lengths that are not known yet. */
static void put_large(struct olv_text *out)
{
    static const uint8_t zeros[16];
    put16(out, ZIP_TAG_64);
    put16(out, sizeof zeros);
    olv_text_add(out, zeros, sizeof zeros);
}

static bool put_own(struct olv_text *out, uint32_t mode, const char *header, size_t len,
                    struct olv_error *err)
{
    struct libdeflate_compressor *c = libdeflate_alloc_compressor(FAST);
    size_t bound = libdeflate_deflate_compress_bound(c, len), packed = 0;
    char *room = c ? malloc(bound) : NULL;
    bool ok = room != NULL || olv_fail_memory(err);
    if (ok)
        packed = libdeflate_deflate_compress(c, header, len, room, bound);
    if (ok && (packed == 0 || OWN_HEAD + packed > MOST_FIELDS || len > MOST_HEADER))
        ok = olv_fail(err, OLV_REFUSED, "it has more attributes than a zip archive can hold");
    if (ok) {
        put16(out, ZIP_TAG_HEADER);
        put16(out, (uint32_t)(OWN_HEAD + packed));
        put32(out, mode);
        put32(out, (uint32_t)len);
        olv_text_add(out, room, packed);
    }
    libdeflate_free_compressor(c);
    free(room);
    return ok;
}

static void zip_local_put_name(struct olv_text *out, const struct olv_member *m)
{
    olv_text_puts(out, m->path);
    if (m->kind == OLV_KIND_DIRECTORY)
        olv_text_puts(out, "/");
}

bool zip_put_local(struct olv_text *out, const struct olv_member *m, const char *header, size_t header_len,
                   bool is_large, struct olv_error *err)
{
    struct olv_text name = {0}, fields = {0};
    const char *data = m->kind == OLV_KIND_LINK ? m->link : "";
    size_t len = strlen(data);
    unsigned flags = is_large ? ZIP_HAS_DESCRIPTOR : 0;
    bool ok;
    zip_local_put_name(&name, m);
    flags |= is_plain_ascii(m->path) || !olv_is_utf8(m->path) ? 0 : ZIP_IS_UTF8;
    if (is_large)
        put_large(&fields);
    put_times(&fields, m);
    zip_local_put_owner(&fields, m);
    ok = put_own(&fields, mode_of(m), header, header_len, err);
    if (ok && (name.len > MOST_FIELDS || fields.len > MOST_FIELDS))
        ok = olv_fail(err, OLV_REFUSED, "it has more attributes than a zip archive can hold");
    if (ok) {
        put32(out, ZIP_LOCAL_MAGIC);
        put16(out, is_large ? NEEDS_64 : NEEDS);
        put16(out, flags);
        put16(out, is_large ? ZIP_DEFLATED : ZIP_STORED);
        put32(out, old_time(m->modified));
        put32(out, is_large ? 0 : (uint32_t)crc32(0, (const Bytef *)data, (uInt)len));
        put32(out, is_large ? UINT32_MAX : (uint32_t)len);
        put32(out, is_large ? UINT32_MAX : (uint32_t)len);
        put16(out, (uint32_t)name.len);
        put16(out, (uint32_t)fields.len);
        olv_text_add(out, olv_text_string(&name), name.len);
        olv_text_add(out, olv_text_string(&fields), fields.len);
        olv_text_add(out, data, len);
        ok = !(out->failed || name.failed || fields.failed) || olv_fail_memory(err);
    }
    olv_text_free(&name);
    olv_text_free(&fields);
    return ok;
}

/* ---- reading ---- */

size_t zip_local_length(const uint8_t *bytes)
{
    return bytes_get32(bytes) == ZIP_LOCAL_MAGIC
               ? (size_t)ZIP_LOCAL + bytes_get16(bytes + 26) + bytes_get16(bytes + 28)
               : 0;
}

static void find_own(struct zip_local *l)
{
    const uint8_t *at = l->fields;
    size_t left = l->fields_len;
    while (left >= 4) {
        size_t n = bytes_get16(at + 2);
        if (n > left - 4)
            return;
        if (bytes_get16(at) == ZIP_TAG_HEADER && n > OWN_HEAD) {
            l->own = at + 4;
            l->own_len = n;
        }
        at += 4 + n;
        left -= 4 + n;
    }
}

bool zip_local_read(const uint8_t *bytes, size_t len, struct zip_local *out)
{
    size_t length = len >= ZIP_LOCAL ? zip_local_length(bytes) : 0;
    if (length == 0 || len < length)
        return false;
    *out = (struct zip_local){.length = length,
                              .flags = bytes_get16(bytes + 6),
                              .method = bytes_get16(bytes + 8),
                              .crc = bytes_get32(bytes + 14),
                              .packed_length = bytes_get32(bytes + 18),
                              .plain_length = bytes_get32(bytes + 22),
                              .fields_len = bytes_get16(bytes + 28)};
    out->fields = bytes + length - out->fields_len;
    find_own(out);
    if (!out->own)
        return false;
    out->mode = bytes_get32(out->own);
    return true;
}

bool zip_local_header(const struct zip_local *l, struct olv_text *out)
{
    size_t len = bytes_get32(l->own + 4), got = 0;
    struct libdeflate_decompressor *d = len <= MOST_HEADER ? libdeflate_alloc_decompressor() : NULL;
    char *room = d ? olv_text_room(out, len) : NULL;
    bool ok = room && libdeflate_deflate_decompress(d, l->own + OWN_HEAD, l->own_len - OWN_HEAD, room, len,
                                                    &got) == LIBDEFLATE_SUCCESS;
    libdeflate_free_decompressor(d);
    if (!ok || got != len)
        return false;
    out->len += len;
    out->data[out->len] = '\0';
    return true;
}
