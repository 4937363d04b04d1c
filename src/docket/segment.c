/* SPDX-License-Identifier: Apache-2.0 */
/* A segment is a magic number, then records: first the kind, then little-endian numbers of fixed width. A
 * rule and a directory are written once, before the first entry that needs them. */
#include "olvido/docket.h"

#include "base/bytes.h"
#include "base/digest.h"
#include "base/grow.h"
#include "docket/wire.h"
#include "os/files.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* Lengths of fixed parts. */
enum { NUMBERS = 40 + 4 * WIRE_INSTANT + 5, CONTENTS = 32 + WIRE_INSTANT };

/* Numbers in a segment keep their meaning for ever. */
#define FIXED(name, number) _Static_assert((name) == (number), #name " has another number on disks")
FIXED(OLV_REFUSE, 0);
FIXED(OLV_NUMBER, 2);
FIXED(OLV_REPLACE, 4);
FIXED(OLV_KIND_FILE, 1);
FIXED(OLV_KIND_DIRECTORY, 2);
FIXED(OLV_KIND_DEVICE, 6);

static const char MAGIC[8] = {'O', 'L', 'V', 'D', 'O', 'C', 'K', '4'};

/* ---- writing ---- */

static void put_boot(struct olv_segment_writer *w)
{
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_s;
    if (!olv_os_boot(boot, &since_s))
        boot[0] = '\0';
    wire_put(&w->bytes, 'B', 1);
    wire_put_string(&w->bytes, boot, 2);
}

static void put_salt(struct olv_segment_writer *w)
{
    uint8_t salt[OLV_SALT];
    w->bytes.failed |= !olv_random(salt, sizeof salt);
    wire_put(&w->bytes, 'S', 1);
    olv_text_add(&w->bytes, salt, sizeof salt);
}

void olv_segment_begin(struct olv_segment_writer *w)
{
    struct olv_text bytes = w->bytes, manner = w->manner, scratch = w->scratch, last_path = w->last_path;
    memset(w, 0, sizeof *w);
    w->bytes = bytes;
    w->manner = manner;
    w->scratch = scratch;
    w->last_path = last_path;
    olv_text_clear(&w->bytes);
    olv_text_clear(&w->manner);
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
    wire_put(&w->bytes, 'R', 1);
    wire_put(&w->bytes, bit, 2);
    wire_put_string(&w->bytes, e->rule_name, 2);
}

/* Asked once for each file system of a segment, at a directory on it. */
static void find_uuid(const struct olv_docket_entry *e, uint8_t out[16])
{
    struct olv_stat stat;
    int fd;
    memcpy(out, e->at.uuid, 16);
    fd = olv_os_open_path(e->directory);
    if (fd >= 0 && (!olv_os_stat(fd, "", &stat) || stat.mount != e->at.mount || !olv_os_uuid(fd, out)))
        memcpy(out, e->at.uuid, 16);
    olv_os_close(fd);
}

/* The number of the directory's file system, which is written before its first directory. */
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
    wire_put(&w->bytes, 'F', 1);
    wire_put(&w->bytes, w->systems, 4);
    wire_put(&w->bytes, e->at.mount, 8);
    wire_put(&w->bytes, e->at.device, 8);
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
    wire_put(&w->bytes, 'D', 1);
    wire_put(&w->bytes, w->directories++, 4);
    wire_put(&w->bytes, system, 4);
    wire_put(&w->bytes, e->at.inode, 8);
    wire_put_string(&w->bytes, e->directory, 4);
}

/* Applies to all entries after it. */
static void put_manner(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    static const struct olv_manner plain;
    struct olv_text last = w->manner;
    olv_text_clear(&w->scratch);
    wire_put_manner(&w->scratch, e->manner ? e->manner : &plain);
    w->bytes.failed |= w->scratch.failed;
    if (w->scratch.failed || olv_text_is_same(&w->scratch, &last))
        return;
    w->manner = w->scratch;
    w->scratch = last;
    wire_put(&w->bytes, 'H', 1);
    olv_text_add(&w->bytes, w->manner.data, w->manner.len);
}

/* Applies to the entry after it. */
static void put_location(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    if (!e->location)
        return;
    wire_put(&w->bytes, 'L', 1);
    wire_put_location(&w->bytes, e->location);
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
    at[12] = e->act->wire;
    at[13] = (uint8_t)e->if_exists;
    at[14] = (uint8_t)i->kind;
    at[15] = i->has_born;
    bytes_put64(at + 16, i->mount);
    bytes_put64(at + 24, i->inode);
    bytes_put64(at + 32, i->size_bytes);
    at = wire_put_instant(
        wire_put_instant(wire_put_instant(wire_put_instant(at + 40, i->modified), i->changed), i->born),
        e->due);
    bytes_put32(at, e->links < UINT32_MAX ? (uint32_t)e->links : UINT32_MAX);
    at[4] = (uint8_t)e->place;
    w->bytes.len += NUMBERS;
}

static void put_contents(struct olv_text *out, const struct olv_contents *c)
{
    uint8_t *at = (uint8_t *)olv_text_room(out, CONTENTS);
    if (!at)
        return;
    bytes_put64(at, c->entries);
    bytes_put64(at + 8, c->files);
    bytes_put64(at + 16, c->bytes);
    bytes_put64(at + 24, c->allocated_bytes);
    wire_put_instant(at + 32, c->youngest);
    out->len += CONTENTS;
}

void olv_segment_add(struct olv_segment_writer *w, const struct olv_docket_entry *e)
{
    put_rule(w, e);
    put_directory(w, e);
    put_manner(w, e);
    put_location(w, e);
    wire_put(&w->bytes, 'E', 1);
    put_numbers(w, e);
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        put_contents(&w->bytes, &e->contents);
    wire_put_string(&w->bytes, e->name, 2);
    wire_put_string(&w->bytes, e->target, 4);
}

void olv_segment_free(struct olv_segment_writer *w)
{
    olv_text_free(&w->bytes);
    olv_text_free(&w->manner);
    olv_text_free(&w->scratch);
    olv_text_free(&w->last_path);
}

/* ---- reading ---- */

struct olv_segment_reader {
    struct olv_arena arena;
    struct wire wire;
    uint32_t directories, entries;
    const char *directory;               /* the last one read; entries refer to no other */
    const struct olv_manner *manner;     /* likewise */
    const struct olv_location *location; /* of the next entry; NULL: none */
    const char *boot;
    uint8_t salt[OLV_SALT];
    struct olv_directory_id id, *systems; /* owned: one per file system, without an inode */
    uint32_t system_count;
    struct rule {
        uint32_t number;
        const char *name;
    } * rules; /* owned */
    size_t rule_count;
};

static void get_contents(struct olv_segment_reader *r, struct olv_contents *c)
{
    const uint8_t *at = wire_get_bytes(&r->wire, CONTENTS);
    if (!at)
        return;
    c->entries = bytes_get64(at);
    c->files = bytes_get64(at + 8);
    c->bytes = bytes_get64(at + 16);
    c->allocated_bytes = bytes_get64(at + 24);
    c->youngest = wire_instant_at(&r->wire, at + 32);
}

/* NULL: not defined. */
static const char *rule_name(const struct olv_segment_reader *r, uint32_t number)
{
    for (size_t i = r->rule_count; i-- > 0;)
        if (r->rules[i].number == number)
            return r->rules[i].name;
    return NULL;
}

static void get_entry(struct olv_segment_reader *r, struct olv_docket_entry *e)
{
    const uint8_t *at = wire_get_bytes(&r->wire, NUMBERS);
    uint32_t directory;
    if (!at)
        return;
    *e = (struct olv_docket_entry){.number = bytes_get32(at)};
    directory = bytes_get32(at + 4);
    e->rule = bytes_get16(at + 8);
    e->step = bytes_get16(at + 10);
    e->act = olv_act_of_wire(at[12]);
    e->if_exists = (enum olv_if_exists)at[13];
    e->identity.kind = (enum olv_kind)at[14];
    e->identity.has_born = at[15] != 0;
    e->identity.mount = bytes_get64(at + 16);
    e->identity.inode = bytes_get64(at + 24);
    e->identity.size_bytes = bytes_get64(at + 32);
    e->identity.modified = wire_instant_at(&r->wire, at + 40);
    e->identity.changed = wire_instant_at(&r->wire, at + 40 + WIRE_INSTANT);
    e->identity.born = wire_instant_at(&r->wire, at + 40 + 2 * WIRE_INSTANT);
    e->due = wire_instant_at(&r->wire, at + 40 + 3 * WIRE_INSTANT);
    e->links = bytes_get32(at + 40 + 4 * WIRE_INSTANT);
    e->place = (enum olv_place)at[44 + 4 * WIRE_INSTANT];
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        get_contents(r, &e->contents);
    e->name = wire_get_string(&r->wire, 2);
    e->target = wire_get_string(&r->wire, 4);
    e->directory = r->directory;
    e->at = r->id;
    e->rule_name = rule_name(r, e->rule);
    e->manner = r->manner;
    e->location = r->location;
    r->location = NULL;
    if (!r->directory || directory + 1 != r->directories || e->number != r->entries++ || !e->rule_name)
        r->wire.is_broken = true;
    if (e->if_exists >= OLV_IF_EXISTS_COUNT)
        r->wire.is_broken = true;
    if (e->place >= OLV_PLACES || (e->place == OLV_IN_DEPOT) != (e->location != NULL))
        r->wire.is_broken = true;
    if (!e->act || e->identity.kind > OLV_KIND_DEVICE || !*e->name || strchr(e->name, '/'))
        r->wire.is_broken = true;
}

struct olv_segment_reader *olv_segment_open(const void *bytes, size_t len, struct olv_error *err)
{
    static const struct olv_manner plain = {.depot = "", .into = "", .text = ""};
    struct olv_segment_reader *r;
    if (len < sizeof MAGIC || memcmp(bytes, MAGIC, sizeof MAGIC) != 0) {
        olv_fail(err, OLV_BROKEN, "this is not a docket segment that this version knows");
        return NULL;
    }
    r = allocate(sizeof *r, err);
    if (!r)
        return NULL;
    r->wire = (struct wire){.bytes = bytes, .len = len, .at = sizeof MAGIC, .arena = &r->arena};
    r->manner = &plain;
    r->boot = "";
    return r;
}

/* A later definition of a rule replaces an earlier one. */
static void get_rule(struct olv_segment_reader *r)
{
    struct rule rule = {.number = (uint32_t)wire_get(&r->wire, 2)};
    rule.name = wire_get_string(&r->wire, 2);
    if (grow_by_one(&r->rules, r->rule_count, sizeof *r->rules))
        r->rules[r->rule_count++] = rule;
    else
        r->wire.is_broken = true;
}

static void get_system(struct olv_segment_reader *r)
{
    uint32_t number = (uint32_t)wire_get(&r->wire, 4);
    struct olv_directory_id it = {.mount = wire_get(&r->wire, 8)};
    const uint8_t *uuid;
    it.device = wire_get(&r->wire, 8);
    uuid = wire_get_bytes(&r->wire, sizeof it.uuid);
    r->wire.is_broken |= number != r->system_count || !uuid || !grow_by_one(&r->systems, number, sizeof it);
    if (r->wire.is_broken)
        return;
    memcpy(it.uuid, uuid, sizeof it.uuid);
    r->systems[r->system_count++] = it;
}

static void get_directory(struct olv_segment_reader *r)
{
    uint32_t number = (uint32_t)wire_get(&r->wire, 4), system;
    r->wire.is_broken |= number != r->directories++;
    system = (uint32_t)wire_get(&r->wire, 4);
    r->wire.is_broken |= system >= r->system_count;
    if (r->wire.is_broken)
        return;
    r->id = r->systems[system];
    r->id.inode = wire_get(&r->wire, 8);
    r->directory = wire_get_string(&r->wire, 4);
    r->wire.is_broken |= r->directory[0] != '/';
}

static void get_salt(struct olv_segment_reader *r)
{
    for (size_t i = 0; i < sizeof r->salt; i++)
        r->salt[i] = (uint8_t)wire_get(&r->wire, 1);
}

static void get_manner(struct olv_segment_reader *r)
{
    struct olv_manner *manner = olv_arena_alloc(&r->arena, sizeof *manner);
    r->wire.is_broken |= !manner;
    if (manner)
        wire_get_manner(&r->wire, manner);
    r->manner = manner;
}

static void get_location(struct olv_segment_reader *r)
{
    struct olv_location *location = olv_arena_alloc(&r->arena, sizeof *location);
    r->wire.is_broken |= !location;
    if (location)
        wire_get_location(&r->wire, location);
    r->location = location;
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
    while (r->wire.at < r->wire.len && !r->wire.is_broken) {
        uint64_t kind = wire_get(&r->wire, 1);
        if (kind == 'E') {
            get_entry(r, out);
            if (!r->wire.is_broken)
                return true;
        } else if (kind == 'D') {
            get_directory(r);
        } else if (kind == 'F') {
            get_system(r);
        } else if (kind == 'B') {
            r->boot = wire_get_string(&r->wire, 2);
        } else if (kind == 'S') {
            get_salt(r);
        } else if (kind == 'H') {
            get_manner(r);
        } else if (kind == 'L') {
            get_location(r);
        } else if (kind == 'R') {
            get_rule(r);
        } else {
            r->wire.is_broken = true;
        }
    }
    return r->wire.is_broken
               ? olv_fail(err, OLV_BROKEN, "a docket segment is damaged at byte %zu", r->wire.at)
               : false;
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
