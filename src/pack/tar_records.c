/* SPDX-License-Identifier: Apache-2.0 */
#include "base/grow.h"
#include "pack/tar_parts.h"

#include <string.h>

struct record {
    const char *key;
    size_t key_len;
    const char *value;
    size_t len;
};

struct reading {
    struct olv_arena *arena;
    struct tar_said *said;
    struct olv_error *err;
};

static bool tar_records_senseless(struct olv_error *err, const char *what)
{
    return olv_fail(err, OLV_BROKEN, "an extended header makes no sense: %s", what);
}

bool tar_decimal(const char **at, const char *end, uint64_t *out)
{
    const char *p = *at;
    uint64_t n = 0;
    for (; p < end && *p >= '0' && *p <= '9'; p++) {
        if (n > (UINT64_MAX >> 1) / 10)
            return false;
        n = n * 10 + (uint64_t)(*p - '0');
    }
    if (p == *at)
        return false;
    *at = p;
    *out = n;
    return true;
}

static bool tar_records_number_of(struct reading *r, const struct record *record, uint64_t *out)
{
    const char *at = record->value, *end = at + record->len;
    return (tar_decimal(&at, end, out) && at == end) ||
           tar_records_senseless(r->err, "a value is not a number");
}

static bool id_of(struct reading *r, const struct record *record, uint32_t *out, bool *has)
{
    uint64_t n;
    if (!tar_records_number_of(r, record, &n))
        return false;
    *out = (uint32_t)n;
    *has = n <= UINT32_MAX;
    return *has || tar_records_senseless(r->err, "the number of an owner or group is too large");
}

static bool string_of(struct reading *r, const struct record *record, const char **out)
{
    if (memchr(record->value, 0, record->len))
        return tar_records_senseless(r->err, "a name has a NUL in it");
    *out = olv_arena_copy(r->arena, record->value, record->len);
    return *out || olv_fail_memory(r->err);
}

/* Seconds with a fraction; in a negative time it counts down. */
static bool tar_records_time_of(struct reading *r, const struct record *record, struct olv_instant *out,
                                bool *has)
{
    const char *at = record->value, *end = at + record->len;
    bool is_negative = at < end && *at == '-';
    uint64_t seconds, ns = 0, weight = 100000000;
    at += is_negative;
    if (!tar_decimal(&at, end, &seconds) || seconds > INT64_MAX)
        return tar_records_senseless(r->err, "a time is not a number, or has too many digits");
    if (at < end && *at == '.')
        for (at++; at < end && *at >= '0' && *at <= '9'; at++, weight /= 10)
            ns += weight * (uint64_t)(*at - '0');
    if (at != end)
        return tar_records_senseless(r->err, "a time is not a number");
    out->s = is_negative ? -(int64_t)seconds - (ns != 0) : (int64_t)seconds;
    out->ns = (uint32_t)(is_negative && ns ? 1000000000 - ns : ns);
    return *has = true;
}

/* ---- extended attributes ---- */

/* The name after the prefix, with %3D and %25 for = and %. */
static char *attribute_name(struct reading *r, const char *name, size_t len)
{
    char *copy = olv_arena_copy(r->arena, name, len), *to = copy;
    for (const char *from = copy; copy && *from;) {
        bool is_equals = strncmp(from, "%3D", 3) == 0, is_percent = strncmp(from, "%25", 3) == 0;
        *to++ = is_equals ? '=' : is_percent ? '%' : *from;
        from += is_equals || is_percent ? 3 : 1;
    }
    if (copy)
        *to = '\0';
    return copy;
}

static bool add_attribute(struct reading *r, const struct record *record, size_t prefix)
{
    struct tar_said *said = r->said;
    struct olv_member_attribute *a;
    if (said->attribute_count == TAR_MOST_ATTRIBUTES)
        return tar_records_senseless(r->err, "it has too many attributes");
    if (!grow_in(r->arena, &said->attributes, said->attribute_count, &said->attribute_cap,
                 sizeof *said->attributes))
        return olv_fail_memory(r->err);
    a = &said->attributes[said->attribute_count++];
    a->name = attribute_name(r, record->key + prefix, record->key_len - prefix);
    a->value = olv_arena_copy(r->arena, record->value, record->len);
    a->len = record->len;
    return (a->name && a->value) || olv_fail_memory(r->err);
}

/* ---- sparse files: the customary vendor keys of three versions ---- */

bool tar_add_extent(struct tar_said *said, struct olv_arena *arena, uint64_t at, uint64_t length,
                    struct olv_error *err)
{
    const struct olv_extent *last = said->extent_count ? &said->extents[said->extent_count - 1] : NULL;
    if (length > UINT64_MAX - at || (last && at < last->at + last->length))
        return olv_fail(err, OLV_BROKEN, "the map of a sparse file makes no sense");
    if (length == 0)
        return true; /* it only says where the file ends */
    if (said->extent_count == TAR_MOST_EXTENTS)
        return olv_fail(err, OLV_BROKEN, "the map of a sparse file is too long");
    if (!grow_in(arena, &said->extents, said->extent_count, &said->extent_cap, sizeof *said->extents))
        return olv_fail_memory(err);
    said->extents[said->extent_count++] = (struct olv_extent){at, length};
    return true;
}

/* Version 0.1: "offset,length,offset,length". */
static bool read_map(struct reading *r, const struct record *record)
{
    const char *at = record->value, *end = at + record->len;
    uint64_t offset, length;
    r->said->is_sparse = true;
    while (at < end) {
        if (!tar_decimal(&at, end, &offset) || at == end || *at++ != ',' || !tar_decimal(&at, end, &length) ||
            (at < end && *at++ != ','))
            return tar_records_senseless(r->err, "the map of a sparse file is not a list of numbers");
        if (!tar_add_extent(r->said, r->arena, offset, length, r->err))
            return false;
    }
    return true;
}

static bool sparse_record(struct reading *r, const struct record *record, const char *key, size_t len)
{
    struct tar_said *said = r->said;
    uint64_t n;
    said->is_sparse = true;
    if (len == 4 && memcmp(key, "name", 4) == 0)
        return string_of(r, record, &said->path);
    if (len == 3 && memcmp(key, "map", 3) == 0)
        return read_map(r, record);
    if (!tar_records_number_of(r, record, &n))
        return false;
    if ((len == 8 && memcmp(key, "realsize", 8) == 0) || (len == 4 && memcmp(key, "size", 4) == 0)) {
        said->real_size = n;
        said->has_real_size = true;
    } else if (len == 5 && memcmp(key, "major", 5) == 0) {
        said->has_map_in_data = n == 1;
    } else if (len == 6 && memcmp(key, "offset", 6) == 0) {
        said->extents_left = n; /* until its length arrives */
    } else if (len == 8 && memcmp(key, "numbytes", 8) == 0) {
        return tar_add_extent(said, r->arena, said->extents_left, n, r->err);
    }
    return true;
}

/* ---- all of them ---- */

static bool is_key(const struct record *record, const char *key)
{
    return record->key_len == strlen(key) && memcmp(record->key, key, record->key_len) == 0;
}

static size_t behind(const struct record *record, const char *prefix)
{
    size_t n = strlen(prefix);
    return record->key_len > n && memcmp(record->key, prefix, n) == 0 ? n : 0;
}

static bool tar_records_take(struct reading *r, const struct record *record)
{
    struct tar_said *said = r->said;
    size_t n;
    if (is_key(record, "path")) /* a sparse file's own name, given before, says more */
        return (said->is_sparse && said->path) || string_of(r, record, &said->path);
    if (is_key(record, "linkpath"))
        return string_of(r, record, &said->link);
    if (is_key(record, "uname"))
        return string_of(r, record, &said->owner_name);
    if (is_key(record, "gname"))
        return string_of(r, record, &said->group_name);
    if (is_key(record, "SCHILY.acl.access"))
        return string_of(r, record, &said->acl);
    if (is_key(record, "SCHILY.acl.default"))
        return string_of(r, record, &said->acl_default);
    if (is_key(record, "size"))
        return said->has_size = tar_records_number_of(r, record, &said->size_bytes);
    if (is_key(record, "uid"))
        return id_of(r, record, &said->owner, &said->has_owner);
    if (is_key(record, "gid"))
        return id_of(r, record, &said->group, &said->has_group);
    if (is_key(record, "mtime"))
        return tar_records_time_of(r, record, &said->modified, &said->has_modified);
    if (is_key(record, "atime"))
        return tar_records_time_of(r, record, &said->accessed, &said->has_accessed);
    if ((n = behind(record, "SCHILY.xattr.")))
        return add_attribute(r, record, n);
    if ((n = behind(record, "GNU.sparse.")))
        return sparse_record(r, record, record->key + n, record->key_len - n);
    return true; /* unknown keys are ignored, as the standard requires */
}

bool tar_read_records(const char *bytes, size_t len, struct olv_arena *arena, struct tar_said *said,
                      struct olv_error *err)
{
    struct reading r = {arena, said, err};
    for (const char *at = bytes, *end = bytes + len; at < end && *at;) {
        const char *begin = at, *equals;
        struct record record;
        uint64_t length;
        if (!tar_decimal(&at, end, &length) || at == end || *at != ' ' || length > (uint64_t)(end - begin) ||
            length < (uint64_t)(at - begin) + 3 || begin[length - 1] != '\n')
            return tar_records_senseless(err, "a record is not as long as it says");
        record.key = at + 1;
        equals = memchr(record.key, '=', (size_t)(begin + length - 1 - record.key));
        if (!equals)
            return tar_records_senseless(err, "a record has no equals sign");
        record.key_len = (size_t)(equals - record.key);
        record.value = equals + 1;
        record.len = (size_t)(begin + length - 1 - record.value);
        if (!tar_records_take(&r, &record))
            return false;
        at = begin + length;
    }
    return true;
}
