/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/manifest_member.h"

#include <stdlib.h>
#include <string.h>

const char *manifest_string(const json_t *json, const char *key)
{
    const char *text = json_string_value(json_object_get(json, key));
    return text ? text : "";
}

bool manifest_instant(const json_t *json, const char *key, struct olv_instant *out)
{
    const char *text = manifest_string(json, key);
    size_t at;
    return olv_instant_parse(text, strlen(text), out, &at);
}

static enum olv_kind manifest_member_kind_of(const char *word, bool *is_hard_link)
{
    *is_hard_link = strcmp(word, "hard link") == 0;
    for (int k = OLV_KIND_FILE; k <= OLV_KIND_DEVICE; k++)
        if (strcmp(word, olv_kind_word((enum olv_kind)k)) == 0)
            return (enum olv_kind)k;
    return OLV_KIND_FILE;
}

static bool read_attribute(struct manifest_member *out, const json_t *json, struct olv_member_attribute *a)
{
    struct olv_text name = {0};
    const char *text = manifest_string(json, "value_b64");
    uint8_t *value = olv_arena_alloc(&out->arena, strlen(text) + 1);
    bool ok = value && olv_json_get_name(json, "name", &name);
    long len = ok ? olv_unbase64(text, strlen(text), value) : -1;
    if (len >= 0)
        *a = (struct olv_member_attribute){olv_arena_copy(&out->arena, name.data, name.len), value,
                                           (size_t)len};
    olv_text_free(&name);
    return len >= 0 && a->name;
}

static bool read_attributes(struct manifest_member *out, const json_t *list)
{
    size_t count = json_array_size(list);
    struct olv_member_attribute *attributes;
    if (count == 0)
        return true;
    attributes = olv_arena_alloc(&out->arena, count * sizeof *attributes);
    for (size_t i = 0; attributes && i < count; i++)
        if (!read_attribute(out, json_array_get(list, i), &attributes[i]))
            return false;
    out->member.attributes = attributes;
    out->member.attribute_count = attributes ? count : 0;
    return attributes != NULL;
}

static void manifest_member_read_clock(struct made_member *made, const json_t *line)
{
    static const enum olv_clock clocks[] = {OLV_CLOCK_CHANGED, OLV_CLOCK_BORN};
    for (size_t i = 0; i < sizeof clocks / sizeof *clocks && !made->has_clock; i++) {
        made->clock = clocks[i];
        made->has_clock = manifest_instant(line, olv_clock_word(clocks[i]), &made->clock_time);
    }
}

bool manifest_digest_of(const json_t *line, const char *key, uint8_t out[OLV_SHA256_SIZE])
{
    const char *digits = manifest_string(line, key);
    return strlen(digits) == 2 * OLV_SHA256_SIZE && olv_unhex(digits, strlen(digits), out);
}

static void manifest_member_forget(struct manifest_member *m)
{
    olv_arena_free(&m->arena);
    olv_text_clear(&m->path);
    olv_text_clear(&m->link);
    olv_text_clear(&m->was);
    m->member = (struct olv_member){.owner_name = "", .group_name = "", .acl = "", .acl_default = ""};
    m->made = (struct made_member){.member = &m->member};
}

bool manifest_member_read(struct manifest_member *out, const json_t *line)
{
    struct olv_member *m = &out->member;
    struct made_member *made = &out->made;
    manifest_member_forget(out);
    if (!olv_json_get_name(line, "path", &out->path) || !manifest_instant(line, "modified", &m->modified) ||
        !read_attributes(out, json_object_get(line, "attributes")))
        return false;
    olv_json_get_name(line, "link", &out->link);
    m->path = olv_text_string(&out->path);
    m->link = olv_text_string(&out->link);
    m->kind = manifest_member_kind_of(manifest_string(line, "kind"), &m->is_hard_link);
    m->size_bytes = olv_json_get_number(line, "size");
    m->mode = (uint32_t)strtoul(manifest_string(line, "mode"), NULL, 8);
    m->owner = (uint32_t)olv_json_get_number(line, "uid");
    m->group = (uint32_t)olv_json_get_number(line, "gid");
    m->has_accessed = manifest_instant(line, "accessed", &m->accessed);
    made->frame = olv_json_get_number(line, "frame");
    made->at = olv_json_get_number(line, "at");
    made->has_digest = manifest_digest_of(line, "digest", made->digest);
    if (olv_json_get_name(line, "was", &out->was) && out->was.len) {
        made->was = olv_text_string(&out->was);
        made->was_bytes = olv_json_get_number(line, "was_size");
    }
    manifest_member_read_clock(made, line);
    return true;
}

void manifest_member_free(struct manifest_member *m)
{
    olv_arena_free(&m->arena);
    olv_text_free(&m->path);
    olv_text_free(&m->link);
    olv_text_free(&m->was);
}

bool manifest_feed_add(struct manifest_feed *feed, const uint8_t *bytes, size_t len,
                       bool (*take)(void *self, const char *text, size_t len, struct olv_error *err),
                       void *self, struct olv_error *err)
{
    bool ok = true;
    for (size_t at = 0; ok && at < len;) {
        const uint8_t *end = memchr(bytes + at, '\n', len - at);
        size_t n = end ? (size_t)(end - bytes) - at : len - at;
        olv_text_add(&feed->line, bytes + at, n);
        at += n + (end != NULL);
        ok = feed->line.len < MANIFEST_LONGEST_LINE ||
             olv_fail(err, OLV_BROKEN, "its manifest makes no sense");
        if (ok && end) {
            ok = take(self, olv_text_string(&feed->line), feed->line.len, err);
            olv_text_clear(&feed->line);
        }
    }
    return ok;
}

void manifest_feed_free(struct manifest_feed *feed)
{
    olv_text_free(&feed->line);
}

bool manifest_lines(struct tar_reader *tar,
                    bool (*take)(void *self, const char *text, size_t len, struct olv_error *err), void *self,
                    struct olv_error *err)
{
    struct manifest_feed feed = {0};
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t ignored;
    bool ok = true;
    while (ok && len && (ok = tar_data(tar, &bytes, &len, &ignored, err)))
        ok = manifest_feed_add(&feed, bytes, len, take, self, err);
    manifest_feed_free(&feed);
    return ok;
}
