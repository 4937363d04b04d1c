/* SPDX-License-Identifier: Apache-2.0 */
/* Everything in a directory entry comes from the packed frames, so that frames copied from another archive
 * are known as well as new ones. */
#include "pack/zip_frame.h"

#include "base/bytes.h"
#include "pack/put.h"
#include "pack/zip_parts.h"

#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <zlib.h>

enum { MADE_BY = ZIP_MADE_ON_UNIX << 8 | 45, NEEDS_64 = 45, IS_DIRECTORY = 0x10, MOST_COUNT_16 = 0xFFFF };

struct entry {
    uint64_t at, packed, plain;
    uint32_t crc;
};

struct zip_directory {
    struct olv_text records;
    uint64_t count;
    /* A large member with more frames to come. */
    bool is_open;
    struct olv_text local; /* its header */
    struct entry entry;
};

struct zip_directory *zip_directory_new(void)
{
    return calloc(1, sizeof(struct zip_directory));
}

void zip_directory_free(struct zip_directory *d)
{
    if (!d)
        return;
    olv_text_free(&d->records);
    olv_text_free(&d->local);
    free(d);
}

/* A 4-byte length; a larger one goes into a field of its own. */
static void put_length(struct olv_text *out, struct olv_text *large, uint64_t n)
{
    put32(out, n < UINT32_MAX ? n : UINT32_MAX);
    if (n >= UINT32_MAX)
        put64(large, n);
}

/* ---- an entry ---- */

/* The fields of the local header that belong here, too; of our own one only its presence. */
static void copy_fields(const struct zip_local *l, struct olv_text *out)
{
    const uint8_t *at = l->fields;
    size_t left = l->fields_len;
    while (left >= 4 && (size_t)bytes_get16(at + 2) + 4 <= left) {
        size_t n = (size_t)bytes_get16(at + 2) + 4;
        unsigned tag = bytes_get16(at);
        if (tag == ZIP_TAG_TIMES || tag == ZIP_TAG_OWNER)
            olv_text_add(out, at, n);
        at += n;
        left -= n;
    }
    put16(out, ZIP_TAG_HEADER);
    put16(out, 0);
}

static void add_entry(struct zip_directory *d, const uint8_t *local, const struct zip_local *l,
                      const struct entry *e)
{
    struct olv_text *out = &d->records, lengths = {0}, large = {0}, fields = {0};
    size_t name = l->length - ZIP_LOCAL - l->fields_len;
    put_length(&lengths, &large, e->packed);
    put_length(&lengths, &large, e->plain);
    put_length(&lengths, &large, e->at);
    if (large.len) {
        put16(&fields, ZIP_TAG_64);
        put16(&fields, large.len);
        olv_text_add(&fields, large.data, large.len);
    }
    copy_fields(l, &fields);
    put32(out, ZIP_CENTRAL_MAGIC);
    put16(out, MADE_BY);
    put16(out, large.len ? NEEDS_64 : bytes_get16(local + 4));
    olv_text_add(out, local + 6, 8); /* flags, method, time and date */
    put32(out, e->crc);
    olv_text_add(out, olv_text_string(&lengths), 8);
    put16(out, name);
    put16(out, fields.len);
    put16(out, 0); /* no comment */
    put16(out, 0); /* the first disk */
    put16(out, 0); /* nothing about its contents */
    put32(out, l->mode << 16 | (S_ISDIR(l->mode) ? IS_DIRECTORY : 0));
    olv_text_add(out, olv_text_string(&lengths) + 8, 4);
    olv_text_add(out, local + ZIP_LOCAL, name);
    olv_text_add(out, olv_text_string(&fields), fields.len);
    d->count++;
    out->failed |= lengths.failed || large.failed || fields.failed;
    olv_text_free(&lengths);
    olv_text_free(&large);
    olv_text_free(&fields);
}

/* ---- frames ---- */

static bool zip_directory_senseless(struct olv_error *err)
{
    return olv_fail(err, OLV_BROKEN, "a frame of the zip archive makes no sense");
}

static bool take_first(struct zip_directory *d, const struct frame_job *job, const uint8_t *bytes,
                       const struct zip_local *l, uint64_t at)
{
    struct entry e = {at, l->packed_length, l->plain_length, l->crc};
    if (!(l->flags & ZIP_HAS_DESCRIPTOR)) {
        add_entry(d, bytes, l, &e);
        return job->packed.len - l->length == l->packed_length;
    }
    d->is_open = true;
    d->entry = (struct entry){at, job->packed.len - l->length, job->data_len, job->crc};
    olv_text_clear(&d->local);
    olv_text_add(&d->local, bytes, l->length);
    return true;
}

static void end_large(struct zip_directory *d)
{
    struct zip_local l;
    const uint8_t *local = (const uint8_t *)olv_text_string(&d->local);
    if (zip_local_read(local, d->local.len, &l))
        add_entry(d, local, &l, &d->entry);
    d->is_open = false;
}

/* Of a copied frame: whether the lengths follow its data. */
static bool has_descriptor(const struct zip_directory *d, const struct olv_text *packed)
{
    const uint8_t *at = (const uint8_t *)packed->data + packed->len - ZIP_DESCRIPTOR;
    return packed->len > ZIP_DESCRIPTOR && bytes_get32(at) == ZIP_DESCRIPTOR_MAGIC &&
           bytes_get64(at + 8) == d->entry.packed + packed->len - ZIP_DESCRIPTOR;
}

static void take_copied(struct zip_directory *d, const struct olv_text *packed)
{
    const uint8_t *at = (const uint8_t *)packed->data + packed->len - ZIP_DESCRIPTOR;
    bool is_last = has_descriptor(d, packed);
    d->entry.packed += packed->len;
    if (!is_last)
        return;
    d->entry.packed -= ZIP_DESCRIPTOR;
    d->entry.crc = bytes_get32(at + 4);
    d->entry.plain = bytes_get64(at + 16);
    end_large(d);
}

static void take_more(struct zip_directory *d, struct frame_job *job)
{
    struct entry *e = &d->entry;
    e->packed += job->packed.len;
    e->crc = (uint32_t)crc32_combine(e->crc, job->crc, (z_off_t)job->data_len);
    e->plain += job->data_len;
    if (job->part != FRAME_ENDS)
        return;
    put32(&job->packed, ZIP_DESCRIPTOR_MAGIC);
    put32(&job->packed, e->crc);
    put64(&job->packed, e->packed);
    put64(&job->packed, e->plain);
    end_large(d);
}

bool zip_directory_take(struct zip_directory *d, struct frame_job *job, uint64_t at, struct olv_error *err)
{
    const uint8_t *bytes = (const uint8_t *)olv_text_string(&job->packed);
    struct zip_local l;
    bool is_first = zip_local_read(bytes, job->packed.len, &l);
    if (is_first == d->is_open || (is_first && !take_first(d, job, bytes, &l, at)))
        return zip_directory_senseless(err);
    if (!is_first && job->is_copy)
        take_copied(d, &job->packed);
    else if (!is_first)
        take_more(d, job);
    return !(d->records.failed || d->local.failed || job->packed.failed) || olv_fail_memory(err);
}

void zip_directory_cut(struct zip_directory *d)
{
    d->is_open = false;
}

/* ---- the end ---- */

void zip_directory_end(const struct zip_directory *d, uint64_t at, struct olv_text *out)
{
    uint64_t length = d->records.len, end = at + length;
    bool is_large = d->count >= MOST_COUNT_16 || length >= UINT32_MAX || at >= UINT32_MAX;
    uint64_t count = is_large ? MOST_COUNT_16 : d->count;
    olv_text_add(out, olv_text_string(&d->records), d->records.len);
    if (is_large) {
        put32(out, ZIP_END64_MAGIC);
        put64(out, ZIP_END64 - 12); /* what follows */
        put16(out, MADE_BY);
        put16(out, NEEDS_64);
        put32(out, 0);
        put32(out, 0);
        put64(out, d->count);
        put64(out, d->count);
        put64(out, length);
        put64(out, at);
        put32(out, ZIP_LOCATOR64_MAGIC);
        put32(out, 0);
        put64(out, end);
        put32(out, 1);
    }
    put32(out, ZIP_END_MAGIC);
    put16(out, 0);
    put16(out, 0);
    put16(out, count);
    put16(out, count);
    put32(out, is_large ? UINT32_MAX : length);
    put32(out, is_large ? UINT32_MAX : at);
    put16(out, 0);
    out->failed |= d->records.failed;
}
