/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/manifest.h"

#include "base/digest.h"
#include "base/temporary.h"
#include "olvido/json.h"
#include "os/durable.h"
#include "os/os.h"
#include "os/reading.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { FLUSH_AT = 1 << 20 };

struct manifest {
    FILE *file; /* unnamed; used only by its descriptor */
    int fd;
    struct olv_text text; /* not written yet */
    uint64_t length, members, bytes;
    struct olv_instant made;
    uint8_t id[MANIFEST_ID];
    struct olv_hasher *hasher;  /* of everything */
    struct olv_hasher *headers; /* of the digests of all members' headers, in order */
    uint8_t digest[OLV_SHA256_SIZE];
    bool has_failed;
    int sys;
};

static void manifest_flush(struct manifest *m)
{
    if (!m->has_failed && !olv_write_all(m->fd, olv_text_string(&m->text), m->text.len)) {
        m->has_failed = true;
        m->sys = errno;
    }
    m->length += m->text.len;
    olv_hasher_add(m->hasher, olv_text_string(&m->text), m->text.len);
    olv_text_clear(&m->text);
}

static void end_line(struct manifest *m)
{
    olv_text_puts(&m->text, "}\n");
    if (m->text.len >= FLUSH_AT)
        manifest_flush(m);
}

static void discard(struct manifest *m)
{
    if (!m)
        return;
    olv_hasher_free(m->hasher);
    olv_hasher_free(m->headers);
    free(m);
}

static struct manifest *manifest_begin(struct olv_error *err)
{
    struct manifest *m = calloc(1, sizeof *m);
    if (!m || !(m->hasher = olv_hasher_new()) || !(m->headers = olv_hasher_new())) {
        olv_fail_memory(err);
        discard(m);
        return NULL;
    }
    olv_hasher_begin(m->hasher);
    olv_hasher_begin(m->headers);
    if (!olv_random(m->id, sizeof m->id)) {
        olv_fail(err, OLV_SYSTEM, "the system gives no random bytes");
        discard(m);
        return NULL;
    }
    m->file = olv_temporary();
    if (!m->file) {
        olv_fail_system(err, "", "cannot make a temporary file for the manifest");
        discard(m);
        return NULL;
    }
    m->fd = fileno(m->file);
    return m;
}

struct manifest *manifest_new(const char *run, const char *rule, enum olv_codec codec, struct olv_error *err)
{
    struct manifest *m = manifest_begin(err);
    char id[2 * MANIFEST_ID + 1];
    if (!m)
        return NULL;
    m->made = olv_os_now();
    olv_text_puts(&m->text, "{");
    olv_json_put_string(&m->text, "olvido", "archive");
    olv_json_put_number(&m->text, "version", 1);
    olv_hex(m->id, sizeof m->id, id);
    olv_json_put_string(&m->text, "id", id);
    olv_json_put_string(&m->text, "run", run);
    olv_json_put_string(&m->text, "rule", rule);
    olv_json_put_string(&m->text, "packed", olv_codec_word(codec));
    olv_json_put_instant(&m->text, "made", m->made);
    end_line(m);
    return m;
}

struct manifest *manifest_like(json_t *head, struct olv_error *err)
{
    struct manifest *m = manifest_begin(err);
    char id[2 * MANIFEST_ID + 1];
    if (!m)
        return NULL;
    olv_hex(m->id, sizeof m->id, id);
    olv_json_string(head, "id", id);
    olv_json_line(head, &m->text);
    olv_text_puts(&m->text, "\n");
    return m;
}

const uint8_t *manifest_id(const struct manifest *m)
{
    return m->id;
}

bool manifest_read_id(const json_t *head, uint8_t out[MANIFEST_ID])
{
    const char *id = json_string_value(json_object_get(head, "id"));
    return id && strlen(id) == 2 * MANIFEST_ID && olv_unhex(id, 2 * MANIFEST_ID, out);
}

void manifest_put(struct manifest *m, const json_t *line, const uint8_t header[OLV_SHA256_SIZE])
{
    olv_hasher_add(m->headers, header, OLV_SHA256_SIZE);
    olv_json_line(line, &m->text);
    olv_text_puts(&m->text, "\n");
    m->members++;
    m->bytes += olv_json_get_number(line, "size");
    if (m->text.len >= FLUSH_AT)
        manifest_flush(m);
}

void manifest_free(struct manifest *m)
{
    if (!m)
        return;
    fclose(m->file);
    olv_text_free(&m->text);
    discard(m);
}

/* ---- a member ---- */

static void put_attributes(struct olv_text *out, const struct olv_member *m)
{
    olv_text_puts(out, ",\"attributes\":[");
    for (size_t i = 0; i < m->attribute_count; i++) {
        const struct olv_member_attribute *a = &m->attributes[i];
        char *value = olv_text_room(out, 0) ? malloc(4 * (a->len / 3 + 1) + 1) : NULL;
        out->failed |= !value;
        if (!value)
            return;
        olv_base64(a->value, a->len, value);
        olv_text_puts(out, i ? ",{" : "{");
        olv_json_put_name(out, "name", a->name);
        olv_json_put_string(out, "value_b64", value);
        olv_text_puts(out, "}");
        free(value);
    }
    olv_text_puts(out, "]");
}

static void put_digest(struct olv_text *out, const char *key, const uint8_t digest[OLV_SHA256_SIZE])
{
    char digits[OLV_HEX_SIZE];
    olv_hex(digest, OLV_SHA256_SIZE, digits);
    olv_json_put_plain(out, key, digits);
}

static void put_octal(struct olv_text *out, uint32_t mode)
{
    char digits[5] = {(char)('0' + (mode >> 9 & 7)), (char)('0' + (mode >> 6 & 7)),
                      (char)('0' + (mode >> 3 & 7)), (char)('0' + (mode & 7)), '\0'};
    olv_json_put_plain(out, "mode", digits);
}

static void manifest_put_owner(struct olv_text *out, const struct olv_member *m)
{
    olv_json_put_number(out, "uid", m->owner);
    olv_json_put_number(out, "gid", m->group);
    if (*m->owner_name)
        olv_json_put_name(out, "owner", m->owner_name);
    if (*m->group_name)
        olv_json_put_name(out, "group", m->group_name);
}

static void put_special(struct olv_text *out, const struct olv_member *m)
{
    if (*m->link)
        olv_json_put_name(out, "link", m->link);
    if (m->kind == OLV_KIND_DEVICE) {
        olv_json_put_string(out, "device", m->is_block ? "block" : "character");
        olv_json_put_number(out, "major", m->major);
        olv_json_put_number(out, "minor", m->minor);
    }
    if (m->is_sparse)
        olv_text_puts(out, ",\"sparse\":true");
    if (m->attribute_count)
        put_attributes(out, m);
    if (*m->acl)
        olv_json_put_string(out, "acl", m->acl);
    if (*m->acl_default)
        olv_json_put_string(out, "acl_default", m->acl_default);
}

void manifest_add(struct manifest *manifest, const struct made_member *made)
{
    struct olv_text *out = &manifest->text;
    const struct olv_member *m = made->member;
    olv_text_puts(out, "{");
    olv_json_put_name(out, "path", m->path);
    olv_json_put_plain(out, "kind", m->is_hard_link ? "hard link" : olv_kind_word(m->kind));
    olv_json_put_number(out, "size", m->size_bytes);
    olv_json_put_number(out, "frame", made->frame);
    olv_json_put_number(out, "at", made->at);
    if (made->has_digest)
        put_digest(out, "digest", made->digest);
    put_octal(out, m->mode);
    manifest_put_owner(out, m);
    olv_json_put_instant(out, "modified", m->modified);
    if (m->has_accessed)
        olv_json_put_instant(out, "accessed", m->accessed);
    if (made->has_clock)
        olv_json_put_instant(out, olv_clock_word(made->clock), made->clock_time);
    if (made->was) {
        olv_json_put_name(out, "was", made->was);
        olv_json_put_number(out, "was_size", made->was_bytes);
    }
    put_special(out, m);
    olv_hasher_add(manifest->headers, made->header, sizeof made->header);
    manifest->members++;
    manifest->bytes += m->size_bytes;
    end_line(manifest);
}

/* ---- the end ---- */

bool manifest_close(struct manifest *m, const struct frame_list *frames, struct olv_error *err)
{
    uint8_t headers[OLV_SHA256_SIZE];
    for (size_t i = 0; i < frames->count; i++) {
        const struct frame *f = &frames->items[i];
        olv_text_puts(&m->text, "{");
        olv_json_put_number(&m->text, "frame", i);
        olv_json_put_number(&m->text, "begins", f->at);
        olv_json_put_number(&m->text, "length", f->length);
        olv_json_put_number(&m->text, "plain", f->plain_length);
        olv_text_printf(&m->text, ",\"check\":\"%016llx\",\"packed_check\":\"%016llx\"",
                        (unsigned long long)f->check, (unsigned long long)f->packed_check);
        end_line(m);
    }
    olv_text_puts(&m->text, "{");
    olv_json_put_number(&m->text, "members", m->members);
    olv_json_put_number(&m->text, "bytes", m->bytes);
    olv_hasher_end(m->headers, headers);
    put_digest(&m->text, "headers", headers);
    end_line(m);
    manifest_flush(m);
    olv_hasher_end(m->hasher, m->digest);
    if (m->text.failed)
        return olv_fail_memory(err);
    errno = m->sys;
    return !m->has_failed || olv_fail_system(err, "", "cannot write the manifest to a temporary file");
}

const uint8_t *manifest_digest(const struct manifest *m)
{
    return m->digest;
}

uint64_t manifest_bytes(const struct manifest *m)
{
    return m->bytes;
}

struct olv_instant manifest_time(const struct manifest *m)
{
    return m->made;
}

uint64_t manifest_length(const struct manifest *m)
{
    return m->length;
}

bool manifest_read(struct manifest *m, void *out, size_t len, uint64_t at, struct olv_error *err)
{
    return reading_at(m->fd, out, len, at, err);
}
