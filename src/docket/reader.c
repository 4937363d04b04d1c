/* SPDX-License-Identifier: Apache-2.0 */
/* Reading a page. Paths are spelt out once, where they are needed. */
#include "docket/location.h"
#include "docket/page.h"
#include "keys/keys.h"

#include "base/bytes.h"
#include "base/grow.h"
#include "olvido/path.h"

#include <stdlib.h>
#include <string.h>

struct olv_page_reader {
    struct olv_arena arena;
    struct wire wire;
    struct olv_page_head head;
    uint32_t directories, entries;
    struct path {
        uint32_t parent; /* PAGE_ROOT: none */
        const char *name;
        size_t name_len, len; /* of the whole path */
    } * paths;                /* owned */
    size_t path_count, path_cap;
    const char *directory;               /* the last one read; entries refer to no other */
    const struct olv_location *location; /* of the next entry; NULL: none */
    const char *boot;
    uint8_t salt[OLV_SALT];
    struct olv_directory_id id, *systems; /* owned: one per file system, without an inode */
    uint32_t system_count;
    struct stated {
        const struct olv_act *act;
        const void *arguments;
    } * stated; /* owned */
    uint32_t stated_count;
    struct rule {
        uint32_t number;
        const char *name;
    } * rules; /* owned */
    size_t rule_count;
};

static void get_contents(struct olv_page_reader *r, struct olv_contents *c)
{
    const uint8_t *at = wire_get_bytes(&r->wire, PAGE_CONTENTS);
    if (!at)
        return;
    c->entries = bytes_get64(at);
    c->files = bytes_get64(at + 8);
    c->bytes = bytes_get64(at + 16);
    c->allocated_bytes = bytes_get64(at + 24);
    c->youngest = wire_instant_at(&r->wire, at + 32);
}

/* NULL: not defined. */
static const char *rule_name(const struct olv_page_reader *r, uint32_t number)
{
    for (size_t i = r->rule_count; i-- > 0;)
        if (r->rules[i].number == number)
            return r->rules[i].name;
    return NULL;
}

/* ---- paths ---- */

static void get_path(struct olv_page_reader *r)
{
    uint32_t number = (uint32_t)wire_get(&r->wire, 4);
    struct path it = {.parent = (uint32_t)wire_get(&r->wire, 4), .name = wire_get_string(&r->wire, 2)};
    bool is_first = it.parent == PAGE_ROOT;
    it.name_len = strlen(it.name);
    r->wire.is_broken |=
        number != r->path_count || (!is_first && it.parent >= number) || strchr(it.name, '/');
    if (r->wire.is_broken)
        return;
    it.len = (is_first ? 0 : r->paths[it.parent].len) + 1 + it.name_len;
    r->wire.is_broken |= it.len > OLV_LONGEST_PATH || !grow(&r->paths, number, &r->path_cap, sizeof it);
    if (!r->wire.is_broken)
        r->paths[r->path_count++] = it;
}

/* The path with this number ("" for the root), with room for `more` bytes behind it; NULL if it is broken. */
static char *spell(struct olv_page_reader *r, uint32_t number, size_t more)
{
    bool is_root = number == PAGE_ROOT, is_there = is_root || number < r->path_count;
    size_t at = is_root || !is_there ? 0 : r->paths[number].len;
    char *out = is_there ? olv_arena_alloc(&r->arena, at + more + 2) : NULL;
    r->wire.is_broken |= !out;
    for (; out && number != PAGE_ROOT; number = r->paths[number].parent) {
        const struct path *it = &r->paths[number];
        at -= it->name_len;
        memcpy(out + at, it->name, it->name_len);
        out[--at] = '/';
    }
    return out;
}

static const char *spell_directory(struct olv_page_reader *r, uint32_t number)
{
    char *out = spell(r, number, 0);
    if (out && !*out)
        *out = '/';
    return out;
}

static const char *get_target(struct olv_page_reader *r)
{
    uint32_t number = (uint32_t)wire_get(&r->wire, 4);
    const char *name;
    size_t len;
    char *out, *end;
    if (number == PAGE_NO_PATH || r->wire.is_broken)
        return "";
    name = wire_get_string(&r->wire, 2);
    len = strlen(name);
    out = spell(r, number, len);
    if (!out)
        return "";
    end = out + strlen(out);
    *end++ = '/';
    memcpy(end, name, len);
    r->wire.is_broken |= strchr(name, '/') || (size_t)(end - out) + len > OLV_LONGEST_PATH;
    return out;
}

/* ---- entries ---- */

/* What every entry has. */
static void get_numbers(struct olv_page_reader *r, struct olv_docket_entry *e, uint32_t *directory,
                        uint32_t *stated)
{
    const uint8_t *at = wire_get_bytes(&r->wire, PAGE_NUMBERS);
    if (!at)
        return;
    e->number = bytes_get32(at);
    *directory = bytes_get32(at + 4);
    e->rule = bytes_get16(at + 8);
    e->step = bytes_get16(at + 10);
    e->act = olv_act_of_wire(at[12]);
    e->if_exists = (enum olv_if_exists)at[13];
    e->identity.kind = (enum olv_kind)at[14];
    e->identity.has_born = at[15] & PAGE_HAS_BORN;
    e->is_readonly = at[15] & PAGE_READONLY;
    e->is_others = at[15] & PAGE_OTHERS;
    e->is_emptied = at[15] & PAGE_EMPTIED;
    e->identity.mount = bytes_get64(at + 16);
    e->identity.inode = bytes_get64(at + 24);
    e->identity.size_bytes = bytes_get64(at + 32);
    e->identity.modified = wire_instant_at(&r->wire, at + 40);
    e->identity.changed = wire_instant_at(&r->wire, at + 40 + WIRE_INSTANT);
    e->identity.born = wire_instant_at(&r->wire, at + 40 + 2 * WIRE_INSTANT);
    e->due = wire_instant_at(&r->wire, at + 40 + 3 * WIRE_INSTANT);
    e->links = bytes_get32(at + 40 + 4 * WIRE_INSTANT);
    e->place = (enum olv_place)at[44 + 4 * WIRE_INSTANT];
    *stated = bytes_get32(at + 45 + 4 * WIRE_INSTANT);
}

/* Whether what was read of it fits together. */
static bool is_sound(const struct olv_page_reader *r, const struct olv_docket_entry *e, uint32_t directory)
{
    return r->directory && directory + 1 == r->directories && e->number == r->head.first + r->entries &&
           e->rule_name && e->if_exists < OLV_IF_EXISTS_COUNT && e->place < OLV_PLACES &&
           (e->place == OLV_IN_DEPOT) == (e->location != NULL) && e->act &&
           e->identity.kind <= OLV_KIND_DEVICE && *e->name && !strchr(e->name, '/') &&
           (!e->is_emptied || e->identity.kind == OLV_KIND_DIRECTORY);
}

static void get_arguments(struct olv_page_reader *r)
{
    uint32_t number = (uint32_t)wire_get(&r->wire, 4);
    struct stated it = {.act = olv_act_of_wire((uint8_t)wire_get(&r->wire, 1))};
    r->wire.is_broken |= number != r->stated_count || !it.act || !grow_by_one(&r->stated, number, sizeof it);
    if (r->wire.is_broken)
        return;
    it.arguments = keys_get(it.act, &r->wire);
    r->stated[r->stated_count++] = it;
}

/* What belongs to an entry of this act; acts without keys have none. */
static const void *arguments_of(struct olv_page_reader *r, const struct olv_act *act, uint32_t number)
{
    bool has_none = number == PAGE_NO_ARGUMENTS, is_known = number < r->stated_count;
    r->wire.is_broken |=
        !act || has_none != !act->keys || (!has_none && (!is_known || r->stated[number].act != act));
    return r->wire.is_broken || has_none ? NULL : r->stated[number].arguments;
}

static void get_entry(struct olv_page_reader *r, struct olv_docket_entry *e)
{
    uint32_t directory = 0, stated = PAGE_NO_ARGUMENTS;
    *e = (struct olv_docket_entry){0};
    get_numbers(r, e, &directory, &stated);
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        get_contents(r, &e->contents);
    e->name = wire_get_string(&r->wire, 2);
    e->target = get_target(r);
    e->directory = r->directory;
    e->at = r->id;
    e->rule_name = rule_name(r, e->rule);
    e->arguments = arguments_of(r, e->act, stated);
    e->location = r->location;
    r->location = NULL;
    r->wire.is_broken |= !is_sound(r, e, directory);
    r->entries++;
}

bool olv_page_head(const void *bytes, struct olv_page_head *out, struct olv_error *err)
{
    const uint8_t *at = bytes;
    *out = (struct olv_page_head){bytes_get32(at + PAGE_LEN_AT), bytes_get32(at + PAGE_FIRST_AT),
                                  bytes_get32(at + PAGE_ENTRIES_AT)};
    if (memcmp(bytes, PAGE_MAGIC, sizeof PAGE_MAGIC) != 0)
        return olv_fail(err, OLV_BROKEN, "this is no page of a docket that this version knows");
    return (out->len >= OLV_PAGE_HEAD && out->len <= OLV_PAGE_MOST && out->entries <= OLV_SEGMENT_MOST &&
            out->first <= OLV_SEGMENT_MOST - out->entries) ||
           olv_fail(err, OLV_BROKEN, "a page of a docket is damaged at its beginning");
}

static bool is_whole(const struct olv_text *page, struct olv_page_head *out, struct olv_error *err)
{
    bool has_head = page->len >= OLV_PAGE_HEAD;
    if (has_head && !olv_page_head(page->data, out, err))
        return false;
    return (has_head && out->len == page->len) ||
           olv_fail(err, OLV_BROKEN, "a page of a docket does not have its length");
}

struct olv_page_reader *olv_page_open(const struct olv_text *page, struct olv_error *err)
{
    struct olv_page_reader *r;
    struct olv_page_head head = {0};
    if (!is_whole(page, &head, err))
        return NULL;
    r = allocate(sizeof *r, err);
    if (!r)
        return NULL;
    r->wire = (struct wire){
        .bytes = (const uint8_t *)page->data, .len = page->len, .at = OLV_PAGE_HEAD, .arena = &r->arena};
    r->head = head;
    r->boot = "";
    return r;
}

/* A later definition of a rule replaces an earlier one. */
static void get_rule(struct olv_page_reader *r)
{
    struct rule rule = {.number = (uint32_t)wire_get(&r->wire, 2)};
    rule.name = wire_get_string(&r->wire, 2);
    if (grow_by_one(&r->rules, r->rule_count, sizeof *r->rules))
        r->rules[r->rule_count++] = rule;
    else
        r->wire.is_broken = true;
}

static void get_system(struct olv_page_reader *r)
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

static void get_directory(struct olv_page_reader *r)
{
    uint32_t number = (uint32_t)wire_get(&r->wire, 4), system;
    r->wire.is_broken |= number != r->directories++;
    system = (uint32_t)wire_get(&r->wire, 4);
    r->wire.is_broken |= system >= r->system_count;
    if (r->wire.is_broken)
        return;
    r->id = r->systems[system];
    r->id.inode = wire_get(&r->wire, 8);
    r->directory = spell_directory(r, (uint32_t)wire_get(&r->wire, 4));
}

static void get_salt(struct olv_page_reader *r)
{
    for (size_t i = 0; i < sizeof r->salt; i++)
        r->salt[i] = (uint8_t)wire_get(&r->wire, 1);
}

static void get_location(struct olv_page_reader *r)
{
    struct olv_location *location = olv_arena_alloc(&r->arena, sizeof *location);
    r->wire.is_broken |= !location;
    if (location)
        location_get(&r->wire, location);
    r->location = location;
}

const char *olv_page_boot(const struct olv_page_reader *r)
{
    return r->boot;
}

const uint8_t *olv_page_salt(const struct olv_page_reader *r)
{
    return r->salt;
}

bool olv_page_next(struct olv_page_reader *r, struct olv_docket_entry *out, struct olv_error *err)
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
        } else if (kind == 'P') {
            get_path(r);
        } else if (kind == 'F') {
            get_system(r);
        } else if (kind == 'B') {
            r->boot = wire_get_string(&r->wire, 2);
        } else if (kind == 'S') {
            get_salt(r);
        } else if (kind == 'H') {
            get_arguments(r);
        } else if (kind == 'L') {
            get_location(r);
        } else if (kind == 'R') {
            get_rule(r);
        } else {
            r->wire.is_broken = true;
        }
    }
    if (r->wire.is_broken || r->entries != r->head.entries)
        olv_fail(err, OLV_BROKEN, "a page of a docket is damaged at byte %zu", r->wire.at);
    return false;
}

void olv_page_close(struct olv_page_reader *r)
{
    if (!r)
        return;
    olv_arena_free(&r->arena);
    free(r->rules);
    free(r->systems);
    free(r->stated);
    free(r->paths);
    free(r);
}
