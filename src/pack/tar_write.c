/* SPDX-License-Identifier: Apache-2.0 */
/* A value goes into the ustar field if it fits, and otherwise into a pax record; then the field gets the best
 * approximation, for readers without pax. */
#include "pack/tar.h"

#include "olvido/path.h"
#include "pack/tar_parts.h"

#include <stdio.h>
#include <string.h>

static const char zeros[TAR_BLOCK];

/* ---- pax records ---- */

/* "LENGTH KEY=VALUE\n"; the length includes its own digits. */
static void put_record(struct olv_text *out, const char *key, const void *value, size_t len)
{
    size_t rest = strlen(key) + len + 3, whole = rest + 1; /* blank, equals, newline; one digit */
    char digits[OLV_DIGITS];
    while (strlen(olv_digits(digits, whole)) + rest != whole)
        whole = strlen(olv_digits(digits, whole)) + rest;
    olv_text_puts(out, olv_digits(digits, whole));
    olv_text_puts(out, " ");
    olv_text_puts(out, key);
    olv_text_puts(out, "=");
    olv_text_add(out, value, len);
    olv_text_puts(out, "\n");
}

static void put_string(struct olv_text *out, const char *key, const char *value)
{
    put_record(out, key, value, strlen(value));
}

static void put_unsigned(struct olv_text *out, const char *key, uint64_t n)
{
    char digits[OLV_DIGITS];
    put_string(out, key, olv_digits(digits, n));
}

/* Seconds with a fraction, which counts down before 1970: -1.25 s is "-1.25", stored as -2 s and 750 ms. */
static void put_time(struct olv_text *out, const char *key, struct olv_instant t)
{
    char fraction[] = ".000000000", value[1 + OLV_DIGITS + sizeof fraction], *begin;
    bool is_below = t.s < 0 && t.ns, is_negative = t.s < 0;
    uint64_t seconds = is_negative ? -(uint64_t)(t.s + is_below) : (uint64_t)t.s;
    size_t end = t.ns ? sizeof fraction - 1 : 0;
    uint32_t ns = is_below ? 1000000000u - t.ns : t.ns;
    for (size_t i = sizeof fraction - 1; --i > 0; ns /= 10)
        fraction[i] = (char)('0' + ns % 10);
    while (end && fraction[end - 1] == '0')
        end--;
    begin = value + (olv_digits(value + 1, seconds) - value); /* room for a sign before, the fraction after */
    memcpy(value + OLV_DIGITS, fraction, end);
    if (is_negative)
        *--begin = '-';
    put_record(out, key, begin, (size_t)(value + OLV_DIGITS + end - begin));
}

static bool is_ascii(const char *bytes)
{
    for (; *bytes; bytes++)
        if ((unsigned char)*bytes >= 0x80)
            return false;
    return true;
}

/* Attribute names go into the key, where an equals sign would end it: it is written %3D, and % as %25. */
static void put_attribute(struct olv_text *out, const struct olv_member_attribute *a)
{
    struct olv_text key = {0};
    olv_text_puts(&key, "SCHILY.xattr.");
    for (const char *c = a->name; *c; c++)
        if (*c == '=')
            olv_text_puts(&key, "%3D");
        else if (*c == '%')
            olv_text_puts(&key, "%25");
        else
            olv_text_add(&key, c, 1);
    out->failed |= key.failed;
    put_record(out, olv_text_string(&key), a->value, a->len);
    olv_text_free(&key);
}

/* ---- the map of a sparse file ---- */

static void put_map(struct olv_text *out, const struct olv_member *m)
{
    size_t begin = out->len;
    olv_text_printf(out, "%zu\n", m->extent_count);
    for (size_t i = 0; i < m->extent_count; i++)
        olv_text_printf(out, "%llu\n%llu\n", (unsigned long long)m->extents[i].at,
                        (unsigned long long)m->extents[i].length);
    tar_put_padding(out, out->len - begin);
}

uint64_t tar_data_length(const struct olv_member *m)
{
    uint64_t sum = 0;
    if (m->kind != OLV_KIND_FILE || m->is_hard_link)
        return 0;
    if (!m->is_sparse)
        return m->size_bytes;
    for (size_t i = 0; i < m->extent_count; i++)
        sum += m->extents[i].length;
    return sum;
}

/* ---- the header ---- */

static char type_of(const struct olv_member *m)
{
    if (m->is_hard_link)
        return '1';
    switch (m->kind) {
    case OLV_KIND_DIRECTORY:
        return '5';
    case OLV_KIND_LINK:
        return '2';
    case OLV_KIND_PIPE:
        return '6';
    case OLV_KIND_DEVICE:
        return m->is_block ? '4' : '3';
    default:
        return '0';
    }
}

/* The name, in two parts if it is long: false if it does not fit. */
static bool tar_write_put_name(struct tar_block *b, const char *path)
{
    size_t len = strlen(path), from;
    if (len <= sizeof b->name) {
        memcpy(b->name, path, len);
        return true;
    }
    memcpy(b->name, path + len - sizeof b->name, sizeof b->name); /* its end says more than its beginning */
    from = len - sizeof b->name > 1 ? len - sizeof b->name - 1 : 0;
    for (size_t i = from; i < len - 1 && i <= sizeof b->prefix; i++)
        if (path[i] == '/' && i > 0) {
            memset(b->name, 0, sizeof b->name);
            memcpy(b->prefix, path, i);
            memcpy(b->name, path + i + 1, len - i - 1);
            return true;
        }
    return false;
}

static void put_block_name(struct tar_block *b, struct olv_text *records, const struct olv_member *m,
                           const char *path)
{
    bool fits = tar_write_put_name(b, path);
    if (m->is_sparse)
        return; /* the record GNU.sparse.name has the real one */
    if (!fits || !is_ascii(path))
        put_string(records, "path", path);
}

static void put_id(char *field, unsigned len, struct olv_text *records, const char *key, uint64_t id)
{
    if (!tar_put_number(field, len, id))
        put_unsigned(records, key, id);
}

static void put_account(char field[32], struct olv_text *records, const char *key, const char *name)
{
    size_t len = strlen(name);
    memcpy(field, name, len < 31 ? len : 31);
    if (len > 31 || !is_ascii(name))
        put_string(records, key, name);
}

static void put_times(struct tar_block *b, struct olv_text *records, const struct olv_member *m)
{
    uint64_t seconds = m->modified.s > 0 ? (uint64_t)m->modified.s : 0;
    if (!tar_put_number(b->mtime, sizeof b->mtime, seconds) || m->modified.ns || m->modified.s < 0)
        put_time(records, "mtime", m->modified);
    if (m->has_accessed)
        put_time(records, "atime", m->accessed);
}

static void put_link(struct tar_block *b, struct olv_text *records, const char *link)
{
    size_t len = strlen(link);
    memcpy(b->linkname, link, len < sizeof b->linkname ? len : sizeof b->linkname);
    if (len > sizeof b->linkname || !is_ascii(link))
        put_string(records, "linkpath", link);
}

static void put_sparse(struct olv_text *records, const struct olv_member *m)
{
    put_string(records, "GNU.sparse.major", "1");
    put_string(records, "GNU.sparse.minor", "0");
    put_string(records, "GNU.sparse.name", m->path);
    put_unsigned(records, "GNU.sparse.realsize", m->size_bytes);
}

static void finish_block(struct tar_block *b)
{
    memcpy(b->magic, "ustar", 6);
    memcpy(b->version, "00", 2);
    tar_put_number(b->chksum, sizeof b->chksum - 1, tar_checksum(b)); /* six digits, NUL, blank */
    b->chksum[7] = ' ';
}

static void fill_block(struct tar_block *b, struct olv_text *records, const struct olv_member *m,
                       const char *path, uint64_t length)
{
    put_block_name(b, records, m, path);
    tar_put_number(b->mode, sizeof b->mode, m->mode & 07777);
    put_id(b->uid, sizeof b->uid, records, "uid", m->owner);
    put_id(b->gid, sizeof b->gid, records, "gid", m->group);
    put_id(b->size, sizeof b->size, records, "size", length);
    put_times(b, records, m);
    b->typeflag = type_of(m);
    put_link(b, records, m->link);
    put_account(b->uname, records, "uname", m->owner_name);
    put_account(b->gname, records, "gname", m->group_name);
    if (m->kind == OLV_KIND_DEVICE) {
        tar_put_number(b->devmajor, sizeof b->devmajor, m->major);
        tar_put_number(b->devminor, sizeof b->devminor, m->minor);
    }
    for (size_t i = 0; i < m->attribute_count; i++)
        put_attribute(records, &m->attributes[i]);
    if (*m->acl)
        put_string(records, "SCHILY.acl.access", m->acl);
    if (*m->acl_default)
        put_string(records, "SCHILY.acl.default", m->acl_default);
    if (m->is_sparse)
        put_sparse(records, m);
}

/* The extended header of the next member: its block is in place already, and its records follow. Its own name
 * is always the same, because it means nothing, and repetition compresses well. */
static void finish_extended(struct olv_text *out, size_t at)
{
    struct tar_block b = {.name = "PaxHeaders/member", .typeflag = 'x'};
    size_t records = out->len - at - sizeof b;
    if (out->failed)
        return;
    if (records == 0) {
        out->len = at;
        return;
    }
    tar_put_number(b.mode, sizeof b.mode, 0644);
    tar_put_number(b.uid, sizeof b.uid, 0);
    tar_put_number(b.gid, sizeof b.gid, 0);
    tar_put_number(b.size, sizeof b.size, records);
    tar_put_number(b.mtime, sizeof b.mtime, 0);
    finish_block(&b);
    memcpy(out->data + at, &b, sizeof b);
    tar_put_padding(out, records);
}

/* The path for the header: a directory's ends with a slash, a sparse file's shows that it is one. */
static const char *spell_path(struct olv_text *room, const struct olv_member *m)
{
    const char *name = olv_path_name(m->path);
    if (m->is_sparse)
        olv_text_printf(room, "%.*sGNUSparseFile.0/%s", (int)(name - m->path), m->path, name);
    else if (m->kind == OLV_KIND_DIRECTORY)
        olv_text_printf(room, "%s/", m->path);
    else
        return m->path;
    return olv_text_string(room);
}

void tar_put_member(struct olv_text *out, const struct olv_member *m)
{
    struct olv_text path = {0}, map = {0};
    struct tar_block b = {.typeflag = 0};
    size_t begin = out->len;
    olv_text_add(out, &b, sizeof b); /* room for the extended header's block */
    if (!olv_is_utf8(m->path) || !olv_is_utf8(m->link) || !olv_is_utf8(m->owner_name) ||
        !olv_is_utf8(m->group_name))
        put_string(out, "hdrcharset", "BINARY");
    if (m->is_sparse)
        put_map(&map, m);
    fill_block(&b, out, m, spell_path(&path, m), tar_data_length(m) + map.len);
    finish_extended(out, begin);
    finish_block(&b);
    olv_text_add(out, &b, sizeof b);
    olv_text_add(out, map.data, map.len);
    out->failed |= path.failed || map.failed;
    olv_text_free(&path);
    olv_text_free(&map);
}

void tar_put_padding(struct olv_text *out, uint64_t data_length)
{
    olv_text_add(out, zeros, (size_t)tar_padding(data_length));
}

void tar_put_end(struct olv_text *out)
{
    olv_text_add(out, zeros, TAR_BLOCK);
    olv_text_add(out, zeros, TAR_BLOCK);
}
