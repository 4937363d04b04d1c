/* SPDX-License-Identifier: Apache-2.0 */
/* Bytes come in pieces of any length; headers are put together in a buffer, data is passed on as it comes. */
#include "pack/tar.h"

#include "base/arena.h"
#include "pack/tar_block.h"
#include "pack/tar_records.h"

#include <stdlib.h>
#include <string.h>

/* What a header may say of itself before it is taken for hostile. */
enum { LARGEST_HEADER = 16 << 20, LONGEST_NAME = 1 << 20 };

struct tar_reader {
    const struct byte_stream *stream;
    const uint8_t *bytes; /* of the stream, not used yet */
    size_t len;
    uint64_t at;            /* of the next byte, in the plain archive */
    struct olv_arena arena; /* of the member under way */
    uint64_t header_bytes;  /* of the headers before its own, and of those that stand for all */
    uint64_t global_bytes;
    struct olv_arena global_arena;
    struct tar_said global; /* what stands for all members from then on */
    /* The data of the member under way. */
    uint64_t data_left, padding_left;
    const struct olv_extent *extents; /* NULL: all data */
    size_t extent, extent_count;
    uint64_t file_at; /* where the next byte of data belongs */
    bool is_over, is_joined; /* joined: the header read last is the first of another archive */
};

struct tar_reader *tar_reader_new(const struct byte_stream *stream, uint64_t at)
{
    struct tar_reader *r = calloc(1, sizeof *r);
    if (!r)
        return NULL;
    r->stream = stream;
    r->at = at;
    return r;
}

void tar_reader_free(struct tar_reader *r)
{
    if (!r)
        return;
    olv_arena_free(&r->arena);
    olv_arena_free(&r->global_arena);
    free(r);
}

/* ---- bytes ---- */

static bool refill(struct tar_reader *r, struct olv_error *err)
{
    return r->len > 0 || r->stream->next(r->stream->self, &r->bytes, &r->len, err);
}

static void use(struct tar_reader *r, size_t n)
{
    r->bytes += n;
    r->len -= n;
    r->at += n;
}

static bool cut_short(const struct tar_reader *r, struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN, "the archive ends too early, at byte %llu of its contents",
                    (unsigned long long)r->at);
}

/* Exactly so many bytes, into `out`, or past it where that is NULL. */
static bool take(struct tar_reader *r, void *out, uint64_t len, struct olv_error *err)
{
    char *to = out;
    while (len) {
        size_t n;
        if (!refill(r, err))
            return false;
        if (r->len == 0)
            return cut_short(r, err);
        n = r->len < len ? r->len : (size_t)len;
        if (to) {
            memcpy(to, r->bytes, n);
            to += n;
        }
        use(r, n);
        len -= n;
    }
    return true;
}

static uint64_t padding_of(uint64_t len)
{
    return (TAR_BLOCK - len % TAR_BLOCK) % TAR_BLOCK;
}

static bool is_zero(const struct tar_block *b)
{
    const char *bytes = (const char *)b;
    for (size_t i = 0; i < sizeof *b; i++)
        if (bytes[i])
            return false;
    return true;
}

bool tar_is_header(const uint8_t block[TAR_BLOCK])
{
    struct tar_block b;
    memcpy(&b, block, sizeof b);
    return b.name[0] && tar_checksum_is_right(&b);
}

/* Behind the mark of the end come zeros at most; or another archive, when somebody has joined two. Goes to that one's
 * first header, or sets is_over. */
static bool pass_end(struct tar_reader *r, struct tar_block *b, struct olv_error *err)
{
    uint64_t at;
    do {
        if (!refill(r, err))
            return false;
        r->is_over = r->len == 0;
        at = r->at;
        if (!r->is_over && !take(r, b, sizeof *b, err)) {
            if (err->code == OLV_BROKEN)
                break;
            return false;
        }
    } while (!r->is_over && is_zero(b));
    return r->is_over || (err->code == OLV_OK && tar_checksum_is_right(b)) ||
           olv_fail(err, OLV_BROKEN, "behind the end of the archive, at byte %llu, is something else",
                    (unsigned long long)at);
}

/* The next header. False at the end of the archive (without an error) or on one. An archive that ends without
 * its mark, where a header would begin, was cut. */
static bool take_block(struct tar_reader *r, struct tar_block *b, struct olv_error *err)
{
    uint64_t at = r->at;
    if (!take(r, b, sizeof *b, err))
        return false;
    if (is_zero(b)) {
        if (!pass_end(r, b, err) || r->is_over)
            return false;
        at = r->at - sizeof *b;
        r->is_joined = true;
    }
    if (!tar_checksum_is_right(b))
        return olv_fail(err, OLV_BROKEN, "the header at byte %llu is damaged", (unsigned long long)at);
    return true;
}

static bool damaged(struct olv_error *err, uint64_t at, const char *what)
{
    return olv_fail(err, OLV_BROKEN, "the header at byte %llu makes no sense: %s", (unsigned long long)at,
                    what);
}

/* ---- headers before the header ---- */

/* The data of a header that is about the next one; NUL behind it. */
static char *take_data(struct tar_reader *r, const struct tar_block *b, int64_t most, int64_t *len,
                       struct olv_error *err)
{
    char *data;
    if (!tar_get_number(b->size, sizeof b->size, len) || *len < 0 || *len > most) {
        damaged(err, r->at - TAR_BLOCK, "its length");
        return NULL;
    }
    r->header_bytes += (uint64_t)*len;
    if (r->header_bytes > LARGEST_HEADER) {
        damaged(err, r->at - TAR_BLOCK, "there are too many headers before it");
        return NULL;
    }
    data = olv_arena_alloc(&r->arena, (size_t)*len + 1);
    if (!data)
        olv_fail_memory(err);
    else if (!take(r, data, (uint64_t)*len, err) || !take(r, NULL, padding_of((uint64_t)*len), err))
        return NULL;
    return data;
}

static bool take_global(struct tar_reader *r, const struct tar_block *b, struct olv_error *err)
{
    int64_t len;
    char *data = take_data(r, b, LARGEST_HEADER, &len, err);
    r->global_bytes += (uint64_t)len;
    return data && tar_read_records(data, (size_t)len, &r->global_arena, &r->global, err);
}

/* One of those; false where `b` is the header of a member, or on an error. */
static bool take_prelude(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                         struct olv_error *err)
{
    int64_t len;
    char *data;
    switch (b->typeflag) {
    case 'g':
        return take_global(r, b, err);
    case 'x':
    case 'X':
        data = take_data(r, b, LARGEST_HEADER, &len, err);
        return data && tar_read_records(data, (size_t)len, &r->arena, said, err);
    case 'L':
    case 'K':
        data = take_data(r, b, LONGEST_NAME, &len, err);
        if (data && b->typeflag == 'L')
            said->path = data;
        else if (data)
            said->link = data;
        return data != NULL;
    default:
        return false;
    }
}

/* ---- the header ---- */

static enum olv_kind kind_of(const struct tar_block *b, const char *path)
{
    size_t n = strlen(path);
    switch (b->typeflag) {
    case '2':
        return OLV_KIND_LINK;
    case '3':
    case '4':
        return OLV_KIND_DEVICE;
    case '5':
    case 'D':
        return OLV_KIND_DIRECTORY;
    case '6':
        return OLV_KIND_PIPE;
    case '0':
    case '\0':
        return n && path[n - 1] == '/' ? OLV_KIND_DIRECTORY : OLV_KIND_FILE; /* as the oldest ones do */
    default:
        return OLV_KIND_FILE; /* as the standard asks for what is not known */
    }
}

static const char *copy_field(struct tar_reader *r, const char *field, size_t size)
{
    size_t len = 0;
    while (len < size && field[len])
        len++;
    return olv_arena_copy(&r->arena, field, len);
}

static bool is_ustar(const struct tar_block *b)
{
    return memcmp(b->magic, "ustar", 6) == 0;
}

static const char *path_of(struct tar_reader *r, const struct tar_block *b, const struct tar_said *said)
{
    const char *name = copy_field(r, b->name, sizeof b->name), *prefix;
    char *whole;
    size_t n;
    if (said->path)
        return said->path;
    if (!is_ustar(b) || !b->prefix[0] || !name)
        return name;
    prefix = copy_field(r, b->prefix, sizeof b->prefix);
    n = prefix ? strlen(prefix) : 0;
    whole = olv_arena_alloc(&r->arena, n + strlen(name) + 2);
    if (!prefix || !whole)
        return NULL;
    memcpy(whole, prefix, n);
    whole[n] = '/';
    memcpy(whole + n + 1, name, strlen(name) + 1);
    return whole;
}

/* Without the slashes at its end. */
static const char *without_slashes(struct tar_reader *r, const char *path)
{
    size_t n = strlen(path);
    while (n > 1 && path[n - 1] == '/')
        n--;
    return path[n] ? olv_arena_copy(&r->arena, path, n) : path;
}

static bool read_ids(const struct tar_block *b, const struct tar_said *said, struct olv_member *m)
{
    int64_t uid, gid, mode, major = 0, minor = 0;
    if (!tar_get_number(b->uid, sizeof b->uid, &uid) || !tar_get_number(b->gid, sizeof b->gid, &gid) ||
        !tar_get_number(b->mode, sizeof b->mode, &mode))
        return false;
    if (m->kind == OLV_KIND_DEVICE && (!tar_get_number(b->devmajor, sizeof b->devmajor, &major) ||
                                       !tar_get_number(b->devminor, sizeof b->devminor, &minor)))
        return false;
    m->mode = (uint32_t)mode & 07777;
    m->has_owner = true;
    m->owner = said->has_owner ? said->owner : (uint32_t)uid;
    m->group = said->has_group ? said->group : (uint32_t)gid;
    m->major = (uint32_t)major;
    m->minor = (uint32_t)minor;
    return true;
}

static bool read_times(const struct tar_block *b, const struct tar_said *said, struct olv_member *m)
{
    int64_t seconds;
    if (!tar_get_number(b->mtime, sizeof b->mtime, &seconds))
        return false;
    m->modified = said->has_modified ? said->modified : (struct olv_instant){seconds, 0};
    m->has_accessed = said->has_accessed;
    m->accessed = said->accessed;
    return true;
}

static bool read_strings(struct tar_reader *r, const struct tar_block *b, const struct tar_said *said,
                         struct olv_member *m)
{
    m->link = said->link ? said->link : copy_field(r, b->linkname, sizeof b->linkname);
    m->owner_name = said->owner_name             ? said->owner_name
                    : is_ustar(b) || b->magic[0] ? copy_field(r, b->uname, sizeof b->uname)
                                                 : "";
    m->group_name = said->group_name             ? said->group_name
                    : is_ustar(b) || b->magic[0] ? copy_field(r, b->gname, sizeof b->gname)
                                                 : "";
    m->acl = said->acl ? said->acl : "";
    m->acl_default = said->acl_default ? said->acl_default : "";
    m->attributes = said->attributes;
    m->attribute_count = said->attribute_count;
    return m->link && m->owner_name && m->group_name;
}

/* ---- maps of sparse files ---- */

static bool read_pairs(struct tar_reader *r, const char *at, unsigned pairs, struct tar_said *said,
                       struct olv_error *err)
{
    for (unsigned i = 0; i < pairs; i++, at += 24) {
        int64_t offset, length;
        if (!at[0] && !at[12])
            continue;
        if (!tar_get_number(at, 12, &offset) || !tar_get_number(at + 12, 12, &length) || offset < 0 ||
            length < 0)
            return damaged(err, r->at - TAR_BLOCK, "the map of a sparse file");
        if (!tar_add_extent(said, &r->arena, (uint64_t)offset, (uint64_t)length, err))
            return false;
    }
    return true;
}

/* The oldest way: pairs in the header, and in blocks behind it. */
static bool read_old_map(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                         struct olv_error *err)
{
    const char *block = (const char *)b;
    char more[TAR_BLOCK] = "";
    int64_t real;
    bool goes_on = block[TAR_OLD_SPARSE_MORE] != 0;
    said->is_sparse = true;
    if (!tar_get_number(block + TAR_OLD_REAL_SIZE, 12, &real) || real < 0)
        return damaged(err, r->at - TAR_BLOCK, "the size of a sparse file");
    said->real_size = (uint64_t)real;
    said->has_real_size = true;
    if (!read_pairs(r, block + TAR_OLD_SPARSE_AT, TAR_OLD_SPARSE_PAIRS, said, err))
        return false;
    while (goes_on) {
        if (!take(r, more, sizeof more, err) || !read_pairs(r, more, TAR_SPARSE_BLOCK_PAIRS, said, err))
            return false;
        goes_on = more[TAR_SPARSE_BLOCK_MORE] != 0;
    }
    return true;
}

/* A line with a number, of a map that stands before the data. */
static bool take_line(struct tar_reader *r, uint64_t *out, struct olv_error *err)
{
    char digits[24] = "";
    size_t n = 0;
    const char *at = digits;
    for (; n < sizeof digits; n++) {
        if (r->data_left == 0)
            return damaged(err, r->at, "the map of a sparse file is longer than its data");
        if (!take(r, &digits[n], 1, err))
            return false;
        r->data_left--;
        if (digits[n] == '\n')
            break;
    }
    return (tar_decimal(&at, digits + n, out) && at == digits + n) ||
           damaged(err, r->at, "the map of a sparse file");
}

/* Version 1.0: lines of numbers, padded to a block. */
static bool read_map_in_data(struct tar_reader *r, struct tar_said *said, struct olv_error *err)
{
    uint64_t before = r->data_left, count = 0, padding;
    if (!take_line(r, &count, err))
        return false;
    for (uint64_t i = 0; i < count; i++) {
        uint64_t at = 0, length = 0;
        if (!take_line(r, &at, err) || !take_line(r, &length, err) ||
            !tar_add_extent(said, &r->arena, at, length, err))
            return false;
    }
    padding = padding_of(before - r->data_left);
    if (padding > r->data_left)
        return damaged(err, r->at, "the map of a sparse file is longer than its data");
    r->data_left -= padding;
    return take(r, NULL, padding, err);
}

static bool read_map(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                     struct olv_member *m, struct olv_error *err)
{
    uint64_t sum = 0;
    if (b->typeflag == 'S' && !read_old_map(r, b, said, err))
        return false;
    if (!said->is_sparse)
        return true;
    if (said->has_map_in_data && !read_map_in_data(r, said, err))
        return false;
    for (size_t i = 0; i < said->extent_count; i++)
        sum += said->extents[i].length;
    m->is_sparse = true;
    m->size_bytes = said->has_real_size ? said->real_size : m->size_bytes;
    m->extents = said->extents;
    m->extent_count = said->extent_count;
    if (sum != r->data_left || (said->extent_count && said->extents[said->extent_count - 1].at +
                                                              said->extents[said->extent_count - 1].length >
                                                          m->size_bytes))
        return damaged(err, m->at, "the map of a sparse file does not fit its data");
    return true;
}

/* ---- the member ---- */

static bool read_member(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                        struct olv_member *m, struct olv_error *err)
{
    int64_t size;
    const char *path = path_of(r, b, said);
    if (!path)
        return olv_fail_memory(err);
    m->kind = kind_of(b, path);
    m->is_hard_link = b->typeflag == '1';
    m->is_block = b->typeflag == '4';
    m->path = without_slashes(r, path);
    if (!m->path || !read_strings(r, b, said, m))
        return olv_fail_memory(err);
    if (!tar_get_number(b->size, sizeof b->size, &size) || !read_ids(b, said, m) || !read_times(b, said, m))
        return damaged(err, m->at, "a number in it");
    if (said->has_size)
        size = (int64_t)said->size_bytes;
    if (size < 0)
        return damaged(err, m->at, "its length");
    r->data_left = (uint64_t)size;
    r->padding_left = padding_of((uint64_t)size);
    if (m->kind == OLV_KIND_DIRECTORY || m->kind == OLV_KIND_LINK || m->kind == OLV_KIND_PIPE ||
        m->kind == OLV_KIND_DEVICE)
        r->data_left = r->padding_left = 0; /* whatever the field says: a directory's means something else */
    m->size_bytes = m->is_hard_link ? 0 : r->data_left;
    return read_map(r, b, said, m, err);
}

static bool pass_over(struct tar_reader *r, struct olv_error *err)
{
    bool ok = take(r, NULL, r->data_left, err) && take(r, NULL, r->padding_left, err);
    r->data_left = r->padding_left = 0;
    return ok;
}

/* What stood for all members of one archive does not for those of the next. */
static void begin_anew(struct tar_reader *r, struct tar_said *said, struct olv_member *m)
{
    r->is_joined = false;
    olv_arena_free(&r->global_arena);
    r->global = *said = (struct tar_said){0};
    r->global_bytes = r->header_bytes = 0;
    m->at = r->at - TAR_BLOCK;
}

bool tar_next(struct tar_reader *r, struct olv_member *m, struct olv_error *err)
{
    struct tar_said said;
    struct tar_block b = {.typeflag = 0};
    if (r->is_over || !pass_over(r, err))
        return false;
    olv_arena_free(&r->arena);
    r->header_bytes = r->global_bytes;
    said = r->global;
    said.attributes = NULL;
    said.attribute_count = said.attribute_cap = 0;
    *m = (struct olv_member){.at = r->at};
    do {
        if (!take_block(r, &b, err))
            return false;
        if (r->is_joined)
            begin_anew(r, &said, m);
    } while (take_prelude(r, &b, &said, err));
    if (err->code != OLV_OK || !read_member(r, &b, &said, m, err))
        return false;
    r->extents = m->is_sparse ? m->extents : NULL;
    r->extent = 0;
    r->extent_count = m->extent_count;
    r->file_at = m->is_sparse && m->extent_count ? m->extents[0].at : 0;
    return true;
}

bool tar_data(struct tar_reader *r, const uint8_t **bytes, size_t *len, uint64_t *at, struct olv_error *err)
{
    uint64_t left = r->data_left;
    *len = 0;
    if (left == 0)
        return true;
    if (!refill(r, err))
        return false;
    if (r->len == 0)
        return cut_short(r, err);
    if (r->extents) {
        const struct olv_extent *x = &r->extents[r->extent];
        left = x->at + x->length - r->file_at;
    }
    *bytes = r->bytes;
    *len = r->len < left ? r->len : (size_t)left;
    *at = r->file_at;
    use(r, *len);
    r->data_left -= *len;
    r->file_at += *len;
    if (r->extents && *len == left && ++r->extent < r->extent_count)
        r->file_at = r->extents[r->extent].at;
    return true;
}
