/* SPDX-License-Identifier: Apache-2.0 */
/* The bytes of a segment: a magic, then records, each with its kind first and little-endian numbers of fixed
 * width. A rule and a directory are written once, before the first entry that needs them. */
#include "olvido/docket.h"

#include "base/arena.h"
#include "base/bytes.h"
#include "base/digest.h"
#include "os/files.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Lengths of what has a fixed one. */
enum { INSTANT = 12, NUMBERS = 40 + 4 * INSTANT + 4, CONTENTS = 24 + INSTANT };

/* What stands in a segment means this for ever, whatever comes in between. */
#define FIXED(name, number) _Static_assert((name) == (number), #name " has another number on disks")
FIXED(OLV_ACT_KEEP, 0);
FIXED(OLV_ACT_COMPRESS, 2);
FIXED(OLV_ACT_ARCHIVE, 3);
FIXED(OLV_ACT_DISCARD, 7);
FIXED(OLV_ACT_DELETE, 8);
FIXED(OLV_ACT_RECOVER, 11);
FIXED(OLV_ACT_CLEAR, 12);
FIXED(OLV_ACT_DECOMPRESS, 13);
FIXED(OLV_ACT_FETCH, 14);
FIXED(OLV_ACT_THIN, 15);
FIXED(OLV_REFUSE, 0);
FIXED(OLV_NUMBER, 2);
FIXED(OLV_REPLACE, 4);
FIXED(OLV_KIND_FILE, 1);
FIXED(OLV_KIND_DIRECTORY, 2);
FIXED(OLV_KIND_DEVICE, 6);

static const char MAGIC[8] = {'O', 'L', 'V', 'D', 'O', 'C', 'K', '2'};

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

static uint8_t *put_instant(uint8_t *at, struct olv_instant t)
{
    bytes_put64(at, (uint64_t)t.s);
    bytes_put32(at + 8, t.ns);
    return at + INSTANT;
}

static void put_string(struct olv_text *out, const char *string, unsigned width)
{
    size_t len = strlen(string);
    put(out, len, width);
    olv_text_add(out, string, len);
}

static void put_boot(struct olv_segment_writer *w)
{
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_s;
    if (!olv_os_boot(boot, &since_s))
        boot[0] = '\0';
    put(&w->bytes, 'B', 1);
    put_string(&w->bytes, boot, 2);
}

static void put_salt(struct olv_segment_writer *w)
{
    uint8_t salt[OLV_SALT];
    w->bytes.failed |= !olv_random(salt, sizeof salt);
    put(&w->bytes, 'S', 1);
    olv_text_add(&w->bytes, salt, sizeof salt);
}

void olv_segment_begin(struct olv_segment_writer *w)
{
    struct olv_text bytes = w->bytes, how = w->how, last_path = w->last_path;
    memset(w, 0, sizeof *w);
    w->bytes = bytes;
    w->how = how;
    w->last_path = last_path;
    olv_text_clear(&w->bytes);
    olv_text_clear(&w->how);
    olv_text_clear(&w->last_path);
    olv_text_add(&w->bytes, MAGIC, sizeof MAGIC);
    put_boot(w);
    put_salt(w);
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

/* Asked for once for each file system of a segment, at a directory on it. */
static void find_uuid(const struct olv_docket_entry *e, uint8_t out[16])
{
    struct olv_stat stat;
    int fd;
    memcpy(out, e->at.uuid, 16);
    fd = olv_os_open_path(e->directory);
    if (fd >= 0 && (!olv_os_stat(fd, "", &stat) || stat.mount != e->at.mount || !olv_os_uuid(fd, out)))
        memcpy(out, e->at.uuid, 16);
    if (fd >= 0)
        close(fd);
}

/* The number of the file system that the directory is on, which is told before its first one. */
static uint32_t put_system(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    enum { REMEMBERED = sizeof w->system_mounts / sizeof *w->system_mounts };
    uint8_t uuid[16];
    for (uint32_t i = 0; i < w->systems && i < REMEMBERED; i++)
        if (w->system_mounts[i] == e->at.mount)
            return i;
    if (w->systems < REMEMBERED)
        w->system_mounts[w->systems] = e->at.mount;
    find_uuid(e, uuid);
    put(&w->bytes, 'F', 1);
    put(&w->bytes, w->systems, 4);
    put(&w->bytes, e->at.mount, 8);
    put(&w->bytes, e->at.device, 8);
    olv_text_add(&w->bytes, uuid, sizeof uuid);
    return w->systems++;
}

static void put_directory(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    uint32_t system;
    if (w->directories && w->last.mount == e->at.mount && w->last.inode == e->at.inode &&
        strcmp(olv_text_string(&w->last_path), e->directory) == 0)
        return;
    w->last = e->at;
    olv_text_clear(&w->last_path);
    olv_text_puts(&w->last_path, e->directory);
    w->bytes.failed |= w->last_path.failed;
    system = put_system(w, e);
    put(&w->bytes, 'D', 1);
    put(&w->bytes, w->directories++, 4);
    put(&w->bytes, system, 4);
    put(&w->bytes, e->at.inode, 8);
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

/* What every entry has. */
static void put_numbers(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    const struct olv_identity *i = &e->identity;
    uint8_t *at = (uint8_t *)olv_text_room(&w->bytes, NUMBERS);
    if (!at)
        return;
    bytes_put32(at, w->entries++);
    bytes_put32(at + 4, w->directories - 1);
    bytes_put16(at + 8, (uint16_t)e->rule);
    bytes_put16(at + 10, (uint16_t)e->step);
    at[12] = (uint8_t)e->act;
    at[13] = (uint8_t)e->if_exists;
    at[14] = (uint8_t)i->kind;
    at[15] = i->has_born;
    bytes_put64(at + 16, i->mount);
    bytes_put64(at + 24, i->inode);
    bytes_put64(at + 32, i->size_bytes);
    at =
        put_instant(put_instant(put_instant(put_instant(at + 40, i->modified), i->changed), i->born), e->due);
    bytes_put32(at, e->links < UINT32_MAX ? (uint32_t)e->links : UINT32_MAX);
    w->bytes.len += NUMBERS;
}

static void put_contents(struct olv_text *out, const struct olv_contents *c)
{
    uint8_t *at = (uint8_t *)olv_text_room(out, CONTENTS);
    if (!at)
        return;
    bytes_put64(at, c->entries);
    bytes_put64(at + 8, c->bytes);
    bytes_put64(at + 16, c->allocated_bytes);
    put_instant(at + 24, c->youngest);
    out->len += CONTENTS;
}

void olv_segment_add(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    put_rule(w, e);
    put_directory(w, e);
    put_how(w, e);
    put(&w->bytes, 'E', 1);
    put_numbers(w, e);
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        put_contents(&w->bytes, &e->contents);
    put_string(&w->bytes, e->name, 2);
    put_string(&w->bytes, e->target, 4);
}

void olv_segment_free(struct olv_segment_writer *w)
{
    olv_text_free(&w->bytes);
    olv_text_free(&w->how);
    olv_text_free(&w->last_path);
}

/* ---- reading ---- */

struct olv_segment_reader {
    struct olv_arena arena;
    const unsigned char *bytes;
    size_t len, at;
    uint32_t directories, entries;
    const char *directory; /* the one read last: entries refer to no other */
    const char *how;       /* likewise */
    const char *boot;
    uint8_t salt[OLV_SALT];
    struct olv_directory_id id, *systems; /* owned: one for each file system, without an inode */
    uint32_t system_count;
    struct rule {
        uint32_t number;
        const char *name;
    } * rules; /* owned */
    size_t rule_count;
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

/* So many bytes that are there; NULL: they are not. */
static const uint8_t *get_bytes(struct olv_segment_reader *r, size_t count)
{
    const uint8_t *at = r->bytes + r->at;
    if (r->len - r->at < count) {
        r->is_broken = true;
        return NULL;
    }
    r->at += count;
    return at;
}

static struct olv_instant instant_at(struct olv_segment_reader *r, const uint8_t *at)
{
    struct olv_instant t = {(int64_t)bytes_get64(at), bytes_get32(at + 8)};
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
    copy = len ? olv_arena_copy(&r->arena, r->bytes + r->at, len) : "";
    r->at += len;
    r->is_broken |= !copy;
    return copy ? copy : "";
}

static void get_contents(struct olv_segment_reader *r, struct olv_contents *c)
{
    const uint8_t *at = get_bytes(r, CONTENTS);
    if (!at)
        return;
    c->entries = bytes_get64(at);
    c->bytes = bytes_get64(at + 8);
    c->allocated_bytes = bytes_get64(at + 16);
    c->youngest = instant_at(r, at + 24);
}

/* NULL: it was not told. */
static const char *rule_name(const struct olv_segment_reader *r, uint32_t number)
{
    for (size_t i = r->rule_count; i-- > 0;)
        if (r->rules[i].number == number)
            return r->rules[i].name;
    return NULL;
}

static void get_entry(struct olv_segment_reader *r, struct olv_docket_entry *e)
{
    const uint8_t *at = get_bytes(r, NUMBERS);
    uint32_t directory;
    if (!at)
        return;
    *e = (struct olv_docket_entry){.number = bytes_get32(at)};
    directory = bytes_get32(at + 4);
    e->rule = bytes_get16(at + 8);
    e->step = bytes_get16(at + 10);
    e->act = (enum olv_act_id)at[12];
    e->if_exists = (enum olv_if_exists)at[13];
    e->identity.kind = (enum olv_kind)at[14];
    e->identity.has_born = at[15] != 0;
    e->identity.mount = bytes_get64(at + 16);
    e->identity.inode = bytes_get64(at + 24);
    e->identity.size_bytes = bytes_get64(at + 32);
    e->identity.modified = instant_at(r, at + 40);
    e->identity.changed = instant_at(r, at + 40 + INSTANT);
    e->identity.born = instant_at(r, at + 40 + 2 * INSTANT);
    e->due = instant_at(r, at + 40 + 3 * INSTANT);
    e->links = bytes_get32(at + 40 + 4 * INSTANT);
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        get_contents(r, &e->contents);
    e->name = get_string(r, 2);
    e->target = get_string(r, 4);
    e->directory = r->directory;
    e->at = r->id;
    e->rule_name = rule_name(r, e->rule);
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
    r->how = r->boot = "";
    return r;
}

/* Of a rule that is there twice, the later name counts. */
static void get_rule(struct olv_segment_reader *r)
{
    struct rule rule = {.number = (uint32_t)get(r, 2)};
    struct rule *grown = realloc(r->rules, (r->rule_count + 1) * sizeof *grown);
    rule.name = get_string(r, 2);
    r->is_broken |= !grown;
    if (!grown)
        return;
    r->rules = grown;
    r->rules[r->rule_count++] = rule;
}

static void get_system(struct olv_segment_reader *r)
{
    uint32_t number = (uint32_t)get(r, 4);
    struct olv_directory_id it = {.mount = get(r, 8)}, *grown;
    const uint8_t *uuid;
    it.device = get(r, 8);
    uuid = get_bytes(r, sizeof it.uuid);
    grown = number == r->system_count && uuid ? realloc(r->systems, (number + 1) * sizeof *grown) : NULL;
    r->is_broken |= !grown;
    if (!grown)
        return;
    memcpy(it.uuid, uuid, sizeof it.uuid);
    r->systems = grown;
    r->systems[r->system_count++] = it;
}

static void get_directory(struct olv_segment_reader *r)
{
    uint32_t number = (uint32_t)get(r, 4), system;
    r->is_broken |= number != r->directories++;
    system = (uint32_t)get(r, 4);
    r->is_broken |= system >= r->system_count;
    if (r->is_broken)
        return;
    r->id = r->systems[system];
    r->id.inode = get(r, 8);
    r->directory = get_string(r, 4);
    r->is_broken |= r->directory[0] != '/';
}

static void get_salt(struct olv_segment_reader *r)
{
    for (size_t i = 0; i < sizeof r->salt; i++)
        r->salt[i] = (uint8_t)get(r, 1);
}

const char *olv_segment_boot(const struct olv_segment_reader *r)
{
    return r->boot;
}

const uint8_t *olv_segment_salt(const struct olv_segment_reader *r)
{
    return r->salt;
}

bool olv_segment_next(struct olv_segment_reader *r, struct olv_docket_entry *out, struct olv_error *err)
{
    olv_error_clear(err);
    while (r->at < r->len && !r->is_broken) {
        uint64_t kind = get(r, 1);
        if (kind == 'E') {
            get_entry(r, out);
            if (!r->is_broken)
                return true;
        } else if (kind == 'D') {
            get_directory(r);
        } else if (kind == 'F') {
            get_system(r);
        } else if (kind == 'B') {
            r->boot = get_string(r, 2);
        } else if (kind == 'S') {
            get_salt(r);
        } else if (kind == 'H') {
            r->how = get_string(r, 2);
        } else if (kind == 'R') {
            get_rule(r);
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
    free(r->rules);
    free(r->systems);
    free(r);
}
