/* SPDX-License-Identifier: Apache-2.0 */
/* Bytes arrive in pieces of any length; headers are assembled in a buffer, data is passed on as it comes. */
#include "pack/tar.h"

#include "pack/tar_parts.h"

#include <stdlib.h>
#include <string.h>

/* Larger headers count as hostile. */
enum { LARGEST_HEADER = 16 << 20, LONGEST_NAME = 1 << 20 };

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

uint64_t tar_position(const struct tar_reader *r)
{
    return r->at;
}

void tar_watch_headers(struct tar_reader *r, struct olv_hasher *hasher)
{
    r->hasher = hasher;
}

/* ---- bytes ---- */

static bool tar_read_refill(struct tar_reader *r, struct olv_error *err)
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

/* Exactly `len` bytes into `out`, or skipped if it is NULL. */
bool tar_take(struct tar_reader *r, void *out, uint64_t len, struct olv_error *err)
{
    char *to = out;
    while (len) {
        size_t n;
        if (!tar_read_refill(r, err))
            return false;
        if (r->len == 0)
            return cut_short(r, err);
        n = r->len < len ? r->len : (size_t)len;
        if (r->is_in_header && r->hasher)
            olv_hasher_add(r->hasher, r->bytes, n);
        if (to) {
            memcpy(to, r->bytes, n);
            to += n;
        }
        use(r, n);
        len -= n;
    }
    return true;
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

/* After the end mark come only zeros; or another archive, if two were concatenated. Goes to that one's first
 * header, or sets is_over. */
static bool pass_end(struct tar_reader *r, struct tar_block *b, struct olv_error *err)
{
    uint64_t at;
    do {
        if (!tar_read_refill(r, err))
            return false;
        r->is_over = r->len == 0;
        at = r->at;
        if (!r->is_over && !tar_take(r, b, sizeof *b, err)) {
            if (err->code == OLV_BROKEN)
                break;
            return false;
        }
    } while (!r->is_over && is_zero(b));
    return r->is_over || (err->code == OLV_OK && tar_checksum_is_right(b)) ||
           olv_fail(err, OLV_BROKEN, "something else follows the end of the archive, at byte %llu",
                    (unsigned long long)at);
}

/* The next header. False at the end of the archive (without an error) or on an error. An archive without its
 * end mark was truncated. */
static bool take_block(struct tar_reader *r, struct tar_block *b, struct olv_error *err)
{
    uint64_t at = r->at;
    if (!tar_take(r, b, sizeof *b, err))
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

bool tar_damaged(struct olv_error *err, uint64_t at, const char *what)
{
    return olv_fail(err, OLV_BROKEN, "the header at byte %llu makes no sense: %s", (unsigned long long)at,
                    what);
}

/* ---- headers before the header ---- */

/* The data of a header about the next one, with a final NUL. */
static char *take_data(struct tar_reader *r, const struct tar_block *b, int64_t most, int64_t *len,
                       struct olv_error *err)
{
    char *data;
    if (!tar_get_number(b->size, sizeof b->size, len) || *len < 0 || *len > most) {
        tar_damaged(err, r->at - TAR_BLOCK, "its length");
        return NULL;
    }
    r->header_bytes += (uint64_t)*len;
    if (r->header_bytes > LARGEST_HEADER) {
        tar_damaged(err, r->at - TAR_BLOCK, "there are too many headers before it");
        return NULL;
    }
    data = olv_arena_alloc(&r->arena, (size_t)*len + 1);
    if (!data)
        olv_fail_memory(err);
    else if (!tar_take(r, data, (uint64_t)*len, err) || !tar_take(r, NULL, tar_padding((uint64_t)*len), err))
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

/* One of those; false if `b` is a member's header, or on an error. */
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

static enum olv_kind tar_read_kind_of(const struct tar_block *b, const char *path)
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
        return OLV_KIND_FILE; /* as the standard requires for unknown types */
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

/* Without trailing slashes. */
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

/* ---- the member ---- */

static bool read_member(struct tar_reader *r, const struct tar_block *b, struct tar_said *said,
                        struct olv_member *m, struct olv_error *err)
{
    int64_t size;
    const char *path = path_of(r, b, said);
    if (!path)
        return olv_fail_memory(err);
    m->kind = tar_read_kind_of(b, path);
    m->is_hard_link = b->typeflag == '1';
    m->is_block = b->typeflag == '4';
    m->path = without_slashes(r, path);
    if (!m->path || !read_strings(r, b, said, m))
        return olv_fail_memory(err);
    if (!tar_get_number(b->size, sizeof b->size, &size) || !read_ids(b, said, m) || !read_times(b, said, m))
        return tar_damaged(err, m->at, "a number in it");
    if (said->has_size)
        size = (int64_t)said->size_bytes;
    if (size < 0)
        return tar_damaged(err, m->at, "its length");
    r->data_left = (uint64_t)size;
    r->padding_left = tar_padding((uint64_t)size);
    if (m->kind == OLV_KIND_DIRECTORY || m->kind == OLV_KIND_LINK || m->kind == OLV_KIND_PIPE ||
        m->kind == OLV_KIND_DEVICE)
        r->data_left = r->padding_left =
            0; /* whatever the field says: for directories it means something else */
    m->size_bytes = m->is_hard_link ? 0 : r->data_left;
    return tar_read_map(r, b, said, m, err);
}

static bool tar_read_pass_over(struct tar_reader *r, struct olv_error *err)
{
    bool ok = tar_take(r, NULL, r->data_left, err) && tar_take(r, NULL, r->padding_left, err);
    r->data_left = r->padding_left = 0;
    return ok;
}

/* What applied to all members of one archive does not apply to the next. */
static void begin_anew(struct tar_reader *r, struct tar_said *said, struct olv_member *m)
{
    r->is_joined = false;
    olv_arena_free(&r->global_arena);
    r->global = *said = (struct tar_said){0};
    r->global_bytes = r->header_bytes = 0;
    m->at = r->at - TAR_BLOCK;
}

static bool read_headers(struct tar_reader *r, struct olv_member *m, struct olv_error *err)
{
    struct tar_said said;
    struct tar_block b = {.typeflag = 0};
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
    return err->code == OLV_OK && read_member(r, &b, &said, m, err);
}

bool tar_next(struct tar_reader *r, struct olv_member *m, struct olv_error *err)
{
    bool ok;
    if (r->is_over || !tar_read_pass_over(r, err))
        return false;
    if (r->hasher)
        olv_hasher_begin(r->hasher);
    r->is_in_header = true;
    ok = read_headers(r, m, err);
    r->is_in_header = false;
    if (!ok)
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
    if (!tar_read_refill(r, err))
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
