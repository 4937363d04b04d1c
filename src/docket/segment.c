/* SPDX-License-Identifier: Apache-2.0 */
/* The bytes of a segment: a magic, then records, each with its kind first and little-endian numbers of fixed
 * width. A rule and a directory are written once, before the first entry that needs them. */
#include "olvido/docket.h"

#include "base/arena.h"

#include <stdlib.h>
#include <string.h>

static const char MAGIC[8] = {'O', 'L', 'V', 'D', 'O', 'C', 'K', '1'};

void olv_docket_entry_path(const struct olv_docket_entry *entry, struct olv_text *out)
{
    olv_text_puts(out, entry->directory);
    olv_text_puts(out, entry->directory[1] ? "/" : ""); /* the root ends in one already */
    olv_text_puts(out, entry->name);
}

uint64_t olv_docket_entry_size(const struct olv_docket_entry *entry)
{
    struct olv_how how;
    if (entry->act == OLV_ACT_FETCH || entry->act == OLV_ACT_THIN) /* the identity is the archive's */
        return olv_how_get(entry->how, &how) ? how.most_bytes : 0;
    return entry->identity.kind == OLV_KIND_DIRECTORY ? entry->contents.bytes : entry->identity.size_bytes;
}

void olv_docket_entry_shown(const struct olv_docket_entry *entry, struct olv_text *out)
{
    if (entry->act == OLV_ACT_THIN)
        olv_text_puts(out, entry->target);
    else
        olv_docket_entry_path(entry, out);
}

struct olv_instant olv_docket_entry_modified(const struct olv_docket_entry *entry)
{
    struct olv_how how;
    bool is_stored = entry->act == OLV_ACT_THIN && olv_how_get(entry->how, &how) && how.has_modified;
    return is_stored ? how.modified : entry->identity.modified;
}

const char *olv_if_exists_word(enum olv_if_exists what)
{
    static const char *const words[] = {"refuse", "skip", "number", "set-aside", "replace"};
    return words[what];
}

/* ---- writing ---- */

static void put(struct olv_text *out, uint64_t value, unsigned bytes)
{
    unsigned char le[8];
    for (unsigned i = 0; i < bytes; i++)
        le[i] = (unsigned char)(value >> (8 * i));
    olv_text_add(out, le, bytes);
}

static void put_instant(struct olv_text *out, struct olv_instant t)
{
    put(out, (uint64_t)t.s, 8);
    put(out, t.ns, 4);
}

static void put_string(struct olv_text *out, const char *string, unsigned width)
{
    size_t len = strlen(string);
    put(out, len, width);
    olv_text_add(out, string, len);
}

void olv_segment_begin(struct olv_segment_writer *w)
{
    struct olv_text bytes = w->bytes, how = w->how;
    memset(w, 0, sizeof *w);
    w->bytes = bytes;
    w->how = how;
    olv_text_clear(&w->bytes);
    olv_text_clear(&w->how);
    olv_text_add(&w->bytes, MAGIC, sizeof MAGIC);
}

static void put_rule(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    uint32_t bit = e->rule % 65536;
    if (w->rules_written[bit / 8] & (1u << (bit % 8)))
        return;
    w->rules_written[bit / 8] |= (uint8_t)(1u << (bit % 8));
    put(&w->bytes, 'R', 1);
    put(&w->bytes, bit, 2);
    put_string(&w->bytes, e->rule_name, 2);
}

static void put_directory(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    if (w->directories && w->last_mount == e->directory_mount && w->last_inode == e->directory_inode)
        return;
    w->last_mount = e->directory_mount;
    w->last_inode = e->directory_inode;
    put(&w->bytes, 'D', 1);
    put(&w->bytes, w->directories++, 4);
    put(&w->bytes, e->directory_mount, 8);
    put(&w->bytes, e->directory_inode, 8);
    put_string(&w->bytes, e->directory, 4);
}

static void put_how(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    const char *how = e->how ? e->how : "";
    if (strcmp(olv_text_string(&w->how), how) == 0)
        return;
    olv_text_clear(&w->how);
    olv_text_puts(&w->how, how);
    w->bytes.failed |= w->how.failed;
    put(&w->bytes, 'H', 1);
    put_string(&w->bytes, how, 2);
}

void olv_segment_add(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    const struct olv_identity *i = &e->identity;
    struct olv_text *out = &w->bytes;
    put_rule(w, e);
    put_directory(w, e);
    put_how(w, e);
    put(out, 'E', 1);
    put(out, w->entries++, 4);
    put(out, w->directories - 1, 4);
    put(out, e->rule, 2);
    put(out, e->step, 2);
    put(out, e->act, 1);
    put(out, e->if_exists, 1);
    put(out, i->kind, 1);
    put(out, i->has_born, 1);
    put(out, i->mount, 8);
    put(out, i->inode, 8);
    put(out, i->size_bytes, 8);
    put_instant(out, i->modified);
    put_instant(out, i->changed);
    put_instant(out, i->born);
    put_instant(out, e->due);
    put(out, e->links < UINT32_MAX ? e->links : UINT32_MAX, 4);
    if (i->kind == OLV_KIND_DIRECTORY) {
        put(out, e->contents.entries, 8);
        put(out, e->contents.bytes, 8);
        put(out, e->contents.allocated_bytes, 8);
        put_instant(out, e->contents.youngest);
    }
    put_string(out, e->name, 2);
    put_string(out, e->target, 4);
}

void olv_segment_free(struct olv_segment_writer *w)
{
    olv_text_free(&w->bytes);
    olv_text_free(&w->how);
}

/* ---- reading ---- */

struct olv_segment_reader {
    struct olv_arena arena;
    const unsigned char *bytes;
    size_t len, at;
    uint32_t directories, entries;
    const char *directory; /* the one read last: entries refer to no other */
    const char *how;       /* likewise */
    uint64_t mount, inode;
    const char *rules[65536];
    bool is_broken;
};

static uint64_t get(struct olv_segment_reader *r, unsigned bytes)
{
    uint64_t value = 0;
    if (r->len - r->at < bytes) {
        r->is_broken = true;
        return 0;
    }
    for (unsigned i = 0; i < bytes; i++)
        value |= (uint64_t)r->bytes[r->at++] << (8 * i);
    return value;
}

static struct olv_instant get_instant(struct olv_segment_reader *r)
{
    struct olv_instant t = {(int64_t)get(r, 8), 0};
    t.ns = (uint32_t)get(r, 4);
    r->is_broken |= t.ns > 999999999;
    return t;
}

/* Never NULL; a NUL within would end the string early, and a name cannot have one. */
static const char *get_string(struct olv_segment_reader *r, unsigned width)
{
    size_t len = (size_t)get(r, width);
    const char *copy;
    if (r->is_broken || len > r->len - r->at || memchr(r->bytes + r->at, 0, len)) {
        r->is_broken = true;
        return "";
    }
    copy = olv_arena_copy(&r->arena, r->bytes + r->at, len);
    r->at += len;
    r->is_broken |= !copy;
    return copy ? copy : "";
}

static void get_entry(struct olv_segment_reader *r, struct olv_docket_entry *e)
{
    uint32_t directory;
    *e = (struct olv_docket_entry){.number = (uint32_t)get(r, 4)};
    directory = (uint32_t)get(r, 4);
    e->rule = (uint32_t)get(r, 2);
    e->step = (uint32_t)get(r, 2);
    e->act = (enum olv_act_id)get(r, 1);
    e->if_exists = (enum olv_if_exists)get(r, 1);
    e->identity.kind = (enum olv_kind)get(r, 1);
    e->identity.has_born = get(r, 1) != 0;
    e->identity.mount = get(r, 8);
    e->identity.inode = get(r, 8);
    e->identity.size_bytes = get(r, 8);
    e->identity.modified = get_instant(r);
    e->identity.changed = get_instant(r);
    e->identity.born = get_instant(r);
    e->due = get_instant(r);
    e->links = get(r, 4);
    if (e->identity.kind == OLV_KIND_DIRECTORY) {
        e->contents.entries = get(r, 8);
        e->contents.bytes = get(r, 8);
        e->contents.allocated_bytes = get(r, 8);
        e->contents.youngest = get_instant(r);
    }
    e->name = get_string(r, 2);
    e->target = get_string(r, 4);
    e->directory = r->directory;
    e->directory_mount = r->mount;
    e->directory_inode = r->inode;
    e->rule_name = r->rules[e->rule];
    e->how = r->how;
    if (!r->directory || directory + 1 != r->directories || e->number != r->entries++ || !e->rule_name)
        r->is_broken = true;
    if (e->if_exists >= OLV_IF_EXISTS_COUNT)
        r->is_broken = true;
    if (e->act >= OLV_ACT_COUNT || e->identity.kind > OLV_KIND_DEVICE || !*e->name || strchr(e->name, '/'))
        r->is_broken = true;
}

struct olv_segment_reader *olv_segment_open(const void *bytes, size_t len, struct olv_error *err)
{
    struct olv_segment_reader *r;
    if (len < sizeof MAGIC || memcmp(bytes, MAGIC, sizeof MAGIC) != 0) {
        olv_fail(err, OLV_BROKEN, "this is no docket segment that this version knows");
        return NULL;
    }
    r = calloc(1, sizeof *r);
    if (!r) {
        olv_fail_memory(err);
        return NULL;
    }
    r->bytes = bytes;
    r->len = len;
    r->at = sizeof MAGIC;
    r->how = "";
    return r;
}

static void get_directory(struct olv_segment_reader *r)
{
    uint32_t number = (uint32_t)get(r, 4);
    r->is_broken |= number != r->directories++;
    r->mount = get(r, 8);
    r->inode = get(r, 8);
    r->directory = get_string(r, 4);
    r->is_broken |= r->directory[0] != '/';
}

bool olv_segment_next(struct olv_segment_reader *r, struct olv_docket_entry *out, struct olv_error *err)
{
    *err = (struct olv_error){0};
    while (r->at < r->len && !r->is_broken) {
        uint64_t kind = get(r, 1);
        if (kind == 'E') {
            get_entry(r, out);
            if (!r->is_broken)
                return true;
        } else if (kind == 'D') {
            get_directory(r);
        } else if (kind == 'H') {
            r->how = get_string(r, 2);
        } else if (kind == 'R') {
            uint64_t rule = get(r, 2);
            r->rules[rule] = get_string(r, 2);
        } else {
            r->is_broken = true;
        }
    }
    return r->is_broken ? olv_fail(err, OLV_BROKEN, "a docket segment is damaged at byte %zu", r->at) : false;
}

void olv_segment_close(struct olv_segment_reader *r)
{
    if (!r)
        return;
    olv_arena_free(&r->arena);
    free(r);
}
