/* SPDX-License-Identifier: Apache-2.0 */
/* The directory at the end is trusted as far as local headers agree; every offset is checked against the
 * file. */
#include "pack/zip.h"

#include "base/arena.h"
#include "base/bytes.h"
#include "base/grow.h"
#include "olvido/calendar.h"
#include "pack/tar.h"
#include "pack/zip_frame.h"
#include "pack/zip_parts.h"

#include <libdeflate.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <zlib.h>

enum { STEP = 65536, LONGEST_LINK = 4096 };

struct zip_reader {
    const struct pack_source *source;
    struct zip_end directory;
    uint64_t next; /* in the directory */
    uint64_t left; /* members left */
    struct olv_arena arena;
    /* The data of the current member. */
    uint64_t local_at, data_at, packed_left, plain_left, file_at;
    uint32_t crc_said, crc;
    unsigned method;
    bool is_open, is_finished;
    z_stream inflate;
    /* What our own field of the current member says. */
    bool has_own, was_given;
    struct olv_text local, header;
    struct tar_reader *tar;
    uint8_t packed[STEP], plain[STEP];
};

static bool zip_read_damaged(struct olv_error *err, const char *what, uint64_t at)
{
    return olv_fail(err, OLV_BROKEN, "the zip archive is damaged: %s, at byte %llu", what,
                    (unsigned long long)at);
}

struct zip_reader *zip_reader_new(const struct pack_source *source, struct olv_error *err)
{
    struct zip_reader *r = allocate(sizeof *r, err);
    if (!r)
        return NULL;
    r->source = source;
    if (!zip_find_end(source, &r->directory, err)) {
        zip_reader_free(r);
        return NULL;
    }
    r->next = r->directory.begin;
    r->left = r->directory.members;
    return r;
}

static void close_data(struct zip_reader *r)
{
    if (r->is_open && r->method == ZIP_DEFLATED)
        inflateEnd(&r->inflate);
    r->is_open = false;
}

void zip_reader_free(struct zip_reader *r)
{
    if (!r)
        return;
    close_data(r);
    tar_reader_free(r->tar);
    olv_text_free(&r->local);
    olv_text_free(&r->header);
    olv_arena_free(&r->arena);
    free(r);
}

uint64_t zip_directory_at(const struct zip_reader *r)
{
    return r->directory.begin;
}

/* ---- a member ---- */

/* Times of the old kind: two seconds' resolution, no zone; taken as UTC. */
static struct olv_instant old_time(uint16_t time, uint16_t date)
{
    struct olv_date d = {.year = 1980 + (date >> 9),
                         .month = date >> 5 & 15,
                         .day = date & 31,
                         .hour = time >> 11,
                         .minute = time >> 5 & 63,
                         .second = (time & 31) * 2};
    if (d.month < 1 || d.month > 12 || d.day < 1)
        return (struct olv_instant){0, 0};
    return (struct olv_instant){olv_date_to_seconds(d), 0};
}

struct extras {
    bool *has_own;
    uint64_t *sizes[3]; /* plain, packed, offset: where to store them from the zip64 field, if their own field
                           is full */
};

static void take_zip64(const uint8_t *field, size_t len, const struct extras *x)
{
    for (size_t i = 0; i < 3 && len >= 8; i++)
        if (*x->sizes[i] == UINT32_MAX) {
            *x->sizes[i] = bytes_get64(field);
            field += 8;
            len -= 8;
        }
}

static void take_owner(const uint8_t *field, size_t len, struct olv_member *m)
{
    uint64_t ids[2] = {0, 0};
    size_t at = 1;
    if (len < 1 || field[0] != 1)
        return;
    for (int i = 0; i < 2; i++) {
        size_t n = at < len ? field[at++] : 0;
        if (n == 0 || n > 8 || n > len - at)
            return;
        for (size_t k = n; k-- > 0;)
            ids[i] = ids[i] << 8 | field[at + k];
        at += n;
    }
    m->has_owner = true;
    m->owner = (uint32_t)ids[0];
    m->group = (uint32_t)ids[1];
}

/* Extra fields: a 2-byte tag, a length, and bytes (4.5). */
static void take_extras(const uint8_t *at, size_t len, struct olv_member *m, const struct extras *x)
{
    while (len >= 4) {
        unsigned tag = bytes_get16(at), n = bytes_get16(at + 2);
        at += 4;
        len -= 4;
        if (n > len)
            return;
        if (tag == ZIP_TAG_64)
            take_zip64(at, n, x);
        else if (tag == ZIP_TAG_TIMES && n >= 5 && at[0] & ZIP_HAS_MODIFIED)
            m->modified = (struct olv_instant){(int32_t)bytes_get32(at + 1), 0};
        else if (tag == ZIP_TAG_OWNER)
            take_owner(at, n, m);
        else if (tag == ZIP_TAG_HEADER && n == 0)
            *x->has_own = true;
        at += n;
        len -= n;
    }
}

static enum olv_kind zip_read_kind_of(unsigned mode, const char *path)
{
    size_t n = strlen(path);
    switch (mode & S_IFMT) {
    case S_IFDIR:
        return OLV_KIND_DIRECTORY;
    case S_IFLNK:
        return OLV_KIND_LINK;
    case S_IFIFO:
        return OLV_KIND_PIPE;
    default:
        return n && path[n - 1] == '/' ? OLV_KIND_DIRECTORY : OLV_KIND_FILE;
    }
}

static bool name_of(struct zip_reader *r, const uint8_t *bytes, size_t len, struct olv_member *m,
                    struct olv_error *err)
{
    char *path = olv_arena_copy(&r->arena, bytes, len);
    if (!path)
        return olv_fail_memory(err);
    if (memchr(bytes, 0, len) || len == 0)
        return zip_read_damaged(err, "a name in its directory", r->next);
    m->path = path;
    return true;
}

static void begin_data(struct zip_reader *r, const uint8_t *central, uint64_t plain, uint64_t packed,
                       uint64_t local)
{
    close_data(r);
    r->is_finished = false;
    r->local_at = local + r->directory.shift;
    r->method = bytes_get16(central + 10);
    r->crc_said = bytes_get32(central + 16);
    r->crc = 0;
    r->file_at = 0;
    r->packed_left = packed;
    r->plain_left = plain;
}

/* A link's target is its data. */
static bool read_link(struct zip_reader *r, struct olv_member *m, struct olv_error *err)
{
    char *target = olv_arena_alloc(&r->arena, LONGEST_LINK + 1);
    size_t at = 0, len = 1;
    const uint8_t *bytes;
    uint64_t ignored;
    if (!target)
        return olv_fail_memory(err);
    while (len) {
        if (!zip_data(r, &bytes, &len, &ignored, err))
            return false;
        if (len > LONGEST_LINK - at)
            return zip_read_damaged(err, "the target of a link is too long", r->local_at);
        memcpy(target + at, bytes, len);
        at += len;
    }
    m->link = target;
    m->size_bytes = 0;
    return !memchr(target, 0, at) || zip_read_damaged(err, "the target of a link", r->local_at);
}

static bool read_central(struct zip_reader *r, struct olv_member *m, struct olv_error *err)
{
    uint8_t head[ZIP_CENTRAL] = {0}, *rest;
    size_t name, extra, comment;
    uint64_t plain, packed, local;
    struct extras x = {&r->has_own, {&plain, &packed, &local}};
    unsigned mode;
    if (r->directory.end - r->next < ZIP_CENTRAL || !pack_read(r->source, head, ZIP_CENTRAL, r->next, err) ||
        bytes_get32(head) != ZIP_CENTRAL_MAGIC)
        return zip_read_damaged(err, "an entry of its directory", r->next);
    name = bytes_get16(head + 28);
    extra = bytes_get16(head + 30);
    comment = bytes_get16(head + 32);
    if (name + extra + comment > r->directory.end - r->next - ZIP_CENTRAL)
        return zip_read_damaged(err, "an entry of its directory", r->next);
    rest = olv_arena_alloc(&r->arena, name + extra + 1);
    if (!rest)
        return olv_fail_memory(err);
    if (!pack_read(r->source, rest, name + extra, r->next + ZIP_CENTRAL, err) ||
        !name_of(r, rest, name, m, err))
        return false;
    packed = bytes_get32(head + 20);
    plain = bytes_get32(head + 24);
    local = bytes_get32(head + 42);
    r->has_own = false;
    mode = head[5] == ZIP_MADE_ON_UNIX ? bytes_get32(head + 38) >> 16 : 0;
    m->kind = zip_read_kind_of(mode, m->path);
    m->mode = mode ? mode & 07777 : m->kind == OLV_KIND_DIRECTORY ? 0755 : 0644;
    m->modified = old_time(bytes_get16(head + 12), bytes_get16(head + 14));
    m->is_encrypted = bytes_get16(head + 8) & ZIP_ENCRYPTED;
    take_extras(rest + name, extra, m, &x);
    m->at = local;
    m->size_bytes = m->kind == OLV_KIND_FILE ? plain : 0;
    m->packed_bytes = packed;
    begin_data(r, head, plain, packed, local);
    r->next += ZIP_CENTRAL + name + extra + comment;
    return true;
}

/* ---- what one of ours says besides ---- */

static bool next_header(void *self, const uint8_t **bytes, size_t *len, struct olv_error *err)
{
    struct zip_reader *r = self;
    (void)err;
    *bytes = (const uint8_t *)olv_text_string(&r->header);
    *len = r->was_given ? 0 : r->header.len;
    r->was_given = true;
    return true;
}

static bool read_local(struct zip_reader *r, struct olv_error *err)
{
    uint8_t head[ZIP_LOCAL] = {0};
    size_t len;
    char *room;
    if (!pack_read(r->source, head, ZIP_LOCAL, r->local_at, err) || !(len = zip_local_length(head)))
        return false;
    olv_text_clear(&r->local);
    room = olv_text_room(&r->local, len);
    if (!room || !pack_read(r->source, room, len, r->local_at, err))
        return false;
    r->local.len = len;
    return true;
}

/* The member according to its tar header; false if there is none, or it is about something else. */
static bool take_own(struct zip_reader *r, struct olv_member *m)
{
    struct byte_stream stream = {r, next_header};
    struct olv_error ignored = {0};
    struct zip_local local;
    struct olv_member own;
    olv_text_clear(&r->header);
    tar_reader_free(r->tar);
    r->tar = NULL;
    r->was_given = false;
    if (!r->has_own || !read_local(r, &ignored) ||
        !zip_local_read((const uint8_t *)r->local.data, r->local.len, &local) ||
        !zip_local_header(&local, &r->header) || !(r->tar = tar_reader_new(&stream, 0)) ||
        !tar_next(r->tar, &own, &ignored) || strcmp(own.path, m->path) != 0 || own.is_sparse ||
        (own.kind == OLV_KIND_FILE && own.size_bytes != m->size_bytes))
        return false;
    own.at = m->at;
    own.packed_bytes = m->packed_bytes;
    own.is_encrypted = m->is_encrypted;
    *m = own;
    return true;
}

/* False; with an error if the file has more than the archive. */
static bool all_was_read(struct zip_reader *r, struct olv_error *err)
{
    uint64_t shift = r->directory.shift;
    r->directory.shift = 0; /* reported once */
    return shift &&
           olv_fail(err, OLV_BROKEN, "the first %llu bytes of the file are not part of the zip archive",
                    (unsigned long long)shift);
}

bool zip_next(struct zip_reader *r, struct olv_member *m, struct olv_error *err)
{
    size_t n;
    char *path;
    if (r->left == 0)
        return all_was_read(r, err);
    olv_arena_free(&r->arena);
    *m = (struct olv_member){.link = "", .owner_name = "", .group_name = "", .acl = "", .acl_default = ""};
    if (!read_central(r, m, err))
        return false;
    r->left--;
    n = strlen(m->path);
    while (n > 1 && m->path[n - 1] == '/')
        n--;
    path = olv_arena_copy(&r->arena, m->path, n);
    if (!path)
        return olv_fail_memory(err);
    m->path = path;
    if (take_own(r, m))
        return true;
    return m->kind != OLV_KIND_LINK || m->is_encrypted || read_link(r, m, err);
}

/* ---- its data ---- */

static bool open_data(struct zip_reader *r, struct olv_error *err)
{
    uint8_t head[ZIP_LOCAL] = {0};
    if (!pack_read(r->source, head, ZIP_LOCAL, r->local_at, err) || bytes_get32(head) != ZIP_LOCAL_MAGIC)
        return zip_read_damaged(err, "the header of a member", r->local_at);
    if (bytes_get16(head + 6) & ZIP_ENCRYPTED)
        return olv_fail(err, OLV_BROKEN, "it is encrypted");
    if (r->method != ZIP_STORED && r->method != ZIP_DEFLATED)
        return olv_fail(err, OLV_BROKEN, "it is packed by method %u, which is unknown", r->method);
    r->data_at = r->local_at + ZIP_LOCAL + bytes_get16(head + 26) + bytes_get16(head + 28);
    if (r->data_at > r->source->size || r->packed_left > r->source->size - r->data_at)
        return zip_read_damaged(err, "a member ends outside of it", r->local_at);
    if (r->method == ZIP_STORED && r->packed_left != r->plain_left)
        return zip_read_damaged(err, "a member's lengths differ", r->local_at);
    if (r->method == ZIP_DEFLATED) {
        r->inflate = (z_stream){0};
        if (inflateInit2(&r->inflate, -15 /* raw deflate */) != Z_OK)
            return olv_fail_memory(err);
    }
    return r->is_open = true;
}

static bool read_packed(struct zip_reader *r, size_t *len, struct olv_error *err)
{
    *len = r->packed_left < STEP ? (size_t)r->packed_left : STEP;
    if (!pack_read(r->source, r->packed, *len, r->data_at, err))
        return false;
    r->data_at += *len;
    r->packed_left -= *len;
    return true;
}

static bool inflate_some(struct zip_reader *r, size_t *len, struct olv_error *err)
{
    z_stream *z = &r->inflate;
    z->next_out = r->plain;
    z->avail_out = STEP;
    while (z->avail_out == STEP && !r->is_finished) {
        size_t got;
        int ret;
        if (z->avail_in == 0 && r->packed_left) {
            if (!read_packed(r, &got, err))
                return false;
            z->next_in = r->packed;
            z->avail_in = (uInt)got;
        }
        ret = inflate(z, Z_NO_FLUSH);
        if (ret == Z_MEM_ERROR)
            return olv_fail_memory(err);
        r->is_finished = ret == Z_STREAM_END;
        if (ret != Z_OK && ret != Z_STREAM_END)
            return zip_read_damaged(err, "a member's data", r->local_at);
    }
    *len = STEP - z->avail_out;
    return true;
}

bool zip_data(struct zip_reader *r, const uint8_t **bytes, size_t *len, uint64_t *at, struct olv_error *err)
{
    *len = 0;
    if (!r->is_open && !open_data(r, err))
        return false;
    if (r->method == ZIP_STORED) {
        *bytes = r->packed;
        if (!read_packed(r, len, err))
            return false;
    } else {
        *bytes = r->plain;
        if (!inflate_some(r, len, err))
            return false;
    }
    if (*len > r->plain_left)
        return zip_read_damaged(err, "a member is longer than it should be", r->local_at);
    r->plain_left -= *len;
    r->crc = libdeflate_crc32(r->crc, *bytes, *len);
    *at = r->file_at;
    r->file_at += *len;
    if (*len == 0 && (r->plain_left || r->crc != r->crc_said))
        return zip_read_damaged(err, "the checksum of a member is wrong", r->local_at);
    return true;
}
