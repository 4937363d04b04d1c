/* SPDX-License-Identifier: Apache-2.0 */
/* Writing a page: a rule, a file system and a directory are written once, before the first entry that needs
 * them; a directory as a name and its parent, so that a deep one costs no more than its name. */
#include "docket/page.h"

#include "base/bytes.h"
#include "base/digest.h"
#include "base/grow.h"
#include "docket/location.h"
#include "keys/keys.h"
#include "olvido/path.h"
#include "os/files.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

/* It stays the same for as long as a writer does. */
static void put_boot(struct olv_page_writer *w)
{
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_s;
    if (!w->boot.len && olv_os_boot(boot, &since_s))
        olv_text_puts(&w->boot, boot);
    w->bytes.failed |= w->boot.failed;
    wire_put(&w->bytes, 'B', 1);
    wire_put_string(&w->bytes, olv_text_string(&w->boot), 2);
}

static void put_salt(struct olv_page_writer *w)
{
    wire_put(&w->bytes, 'S', 1);
    olv_text_add(&w->bytes, w->salt, sizeof w->salt);
}

static void empty_way(struct olv_page_way *way)
{
    olv_text_clear(&way->path);
    way->depth = 0;
}

static void put_head(struct olv_page_writer *w)
{
    olv_text_clear(&w->bytes);
    olv_text_add(&w->bytes, PAGE_MAGIC, sizeof PAGE_MAGIC);
    wire_put(&w->bytes, 0, 4);
    wire_put(&w->bytes, w->first, 4);
    wire_put(&w->bytes, 0, 4);
}

/* A page knows nothing of the one before. */
static void begin_page(struct olv_page_writer *w, uint32_t first)
{
    w->first = first;
    w->entries = w->directories = w->paths = w->systems = 0;
    w->spelt = 0;
    memset(w->rules_written, 0, sizeof w->rules_written);
    empty_way(&w->here);
    empty_way(&w->target);
    w->argument_count = 0;
    put_head(w);
    put_boot(w);
    put_salt(w);
}

void olv_page_begin(struct olv_page_writer *w)
{
    bool has_salt = olv_random(w->salt, sizeof w->salt);
    begin_page(w, 0);
    w->bytes.failed |= !has_salt;
}

void olv_page_turn(struct olv_page_writer *w)
{
    begin_page(w, w->first + w->entries);
}

bool olv_page_is_full(const struct olv_page_writer *w)
{
    return w->bytes.len >= OLV_PAGE_FULL || w->spelt >= OLV_PAGE_FULL;
}

/* ---- paths ---- */

/* The part of the path that this one shares with the last: whole names from the root on. */
static void go_back(struct olv_page_way *way, const char *path, size_t len)
{
    size_t same = 0, most = len < way->path.len ? len : way->path.len;
    while (same < most && path[same] == way->path.data[same])
        same++;
    while (way->depth) {
        size_t end = way->steps[way->depth - 1].end;
        if (end <= same && (end == len || path[end] == '/'))
            break;
        way->depth--;
    }
}

static bool put_step(struct olv_page_writer *w, struct olv_page_way *way, const char *path, size_t from,
                     size_t end)
{
    if (!grow(&way->steps, way->depth, &way->cap, sizeof *way->steps))
        return false;
    wire_put(&w->bytes, 'P', 1);
    wire_put(&w->bytes, w->paths, 4);
    wire_put(&w->bytes, way->depth ? way->steps[way->depth - 1].number : PAGE_ROOT, 4);
    wire_put(&w->bytes, end - from, 2);
    olv_text_add(&w->bytes, path + from, end - from);
    way->steps[way->depth++] = (struct olv_page_step){w->paths++, end};
    return true;
}

/* The number of this directory, which is written with those above it as far as the last one has no part in
 * them. */
static uint32_t put_path(struct olv_page_writer *w, struct olv_page_way *way, const char *path, size_t len)
{
    size_t end;
    if (len <= 1) { /* the root, also as the empty part before a name in it */
        empty_way(way);
        return PAGE_ROOT;
    }
    go_back(way, path, len);
    for (end = way->depth ? way->steps[way->depth - 1].end : 0; end < len;) {
        size_t from = end + 1;
        for (end = from; end < len && path[end] != '/';)
            end++;
        w->bytes.failed |= !put_step(w, way, path, from, end);
        if (w->bytes.failed)
            return PAGE_ROOT;
    }
    olv_text_clear(&way->path);
    olv_text_add(&way->path, path, len);
    w->bytes.failed |= way->path.failed;
    return way->steps[way->depth - 1].number;
}

/* ---- records ---- */

static void put_rule(struct olv_page_writer *w, const struct olv_docket_entry *e)
{
    uint32_t bit = e->rule % 65536;
    if (w->rules_written[bit / 8] & (1u << (bit % 8)))
        return;
    w->rules_written[bit / 8] |= (uint8_t)(1u << (bit % 8));
    wire_put(&w->bytes, 'R', 1);
    wire_put(&w->bytes, bit, 2);
    wire_put_string(&w->bytes, e->rule_name, 2);
}

/* Asked once for each file system of a page, at a directory on it. */
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
static uint32_t put_system(struct olv_page_writer *w, const struct olv_docket_entry *e)
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

static void put_directory(struct olv_page_writer *w, const struct olv_docket_entry *e)
{
    uint32_t system, path;
    if (w->directories && w->last.mount == e->at.mount && w->last.inode == e->at.inode &&
        strcmp(*olv_text_string(&w->here.path) ? olv_text_string(&w->here.path) : "/", e->directory) == 0)
        return;
    w->last = e->at;
    system = put_system(w, e);
    path = put_path(w, &w->here, e->directory, strlen(e->directory));
    wire_put(&w->bytes, 'D', 1);
    wire_put(&w->bytes, w->directories++, 4);
    wire_put(&w->bytes, system, 4);
    wire_put(&w->bytes, e->at.inode, 8);
    wire_put(&w->bytes, path, 4);
}

/* The number of the entry's arguments, which are written before the first entry that has them. */
static uint32_t put_arguments(struct olv_page_writer *w, const struct olv_docket_entry *e)
{
    enum { REMEMBERED = sizeof w->arguments / sizeof *w->arguments };
    struct olv_text *s = &w->scratch;
    uint32_t count = w->argument_count < REMEMBERED ? w->argument_count : REMEMBERED;
    if (!e->act->keys)
        return PAGE_NO_ARGUMENTS;
    olv_text_clear(s);
    wire_put(s, e->act->wire, 1);
    keys_put(e->act, e->arguments, s);
    w->bytes.failed |= s->failed;
    for (uint32_t i = 0; i < count && !w->bytes.failed; i++)
        if (w->arguments[i].len == s->len && memcmp(w->bytes.data + w->arguments[i].at, s->data, s->len) == 0)
            return w->arguments[i].number;
    wire_put(&w->bytes, 'H', 1);
    wire_put(&w->bytes, w->argument_count, 4);
    w->arguments[w->argument_count % REMEMBERED] =
        (struct olv_page_arguments){w->bytes.len, s->len, w->argument_count};
    if (!s->failed)
        olv_text_add(&w->bytes, s->data, s->len);
    return w->argument_count++;
}

/* Applies to the entry after it. */
static void put_location(struct olv_page_writer *w, const struct olv_docket_entry *e)
{
    if (!e->location)
        return;
    wire_put(&w->bytes, 'L', 1);
    location_put(&w->bytes, e->location);
}

/* What every entry has. */
static void put_numbers(struct olv_page_writer *w, const struct olv_docket_entry *e, uint32_t arguments)
{
    const struct olv_identity *i = &e->identity;
    uint8_t *at = (uint8_t *)olv_text_room(&w->bytes, PAGE_NUMBERS);
    if (!at)
        return;
    bytes_put32(at, w->first + w->entries++);
    bytes_put32(at + 4, w->directories - 1);
    bytes_put16(at + 8, (uint16_t)e->rule);
    bytes_put16(at + 10, (uint16_t)e->step);
    at[12] = e->act->wire;
    at[13] = (uint8_t)e->if_exists;
    at[14] = (uint8_t)i->kind;
    at[15] = (uint8_t)((i->has_born ? PAGE_HAS_BORN : 0) | (e->is_readonly ? PAGE_READONLY : 0) |
                       (e->is_others ? PAGE_OTHERS : 0) | (e->is_emptied ? PAGE_EMPTIED : 0));
    bytes_put64(at + 16, i->mount);
    bytes_put64(at + 24, i->inode);
    bytes_put64(at + 32, i->size_bytes);
    at = wire_put_instant(
        wire_put_instant(wire_put_instant(wire_put_instant(at + 40, i->modified), i->changed), i->born),
        e->due);
    bytes_put32(at, e->links < UINT32_MAX ? (uint32_t)e->links : UINT32_MAX);
    at[4] = (uint8_t)e->place;
    bytes_put32(at + 5, arguments);
    w->bytes.len += PAGE_NUMBERS;
}

static void put_contents(struct olv_text *out, const struct olv_contents *c)
{
    uint8_t *at = (uint8_t *)olv_text_room(out, PAGE_CONTENTS);
    if (!at)
        return;
    bytes_put64(at, c->entries);
    bytes_put64(at + 8, c->files);
    bytes_put64(at + 16, c->bytes);
    bytes_put64(at + 24, c->allocated_bytes);
    wire_put_instant(at + 32, c->youngest);
    out->len += PAGE_CONTENTS;
}

/* Its directory's number is written before the entry. */
static uint32_t put_target(struct olv_page_writer *w, const char *target)
{
    if (!*target)
        return PAGE_NO_PATH;
    return put_path(w, &w->target, target, olv_path_directory_len(target));
}

/* Keeps the head true: the page may be taken after any entry. */
static void put_counts(struct olv_page_writer *w)
{
    uint8_t *head = (uint8_t *)w->bytes.data;
    if (w->bytes.failed)
        return;
    bytes_put32(head + PAGE_LEN_AT, (uint32_t)w->bytes.len);
    bytes_put32(head + PAGE_ENTRIES_AT, w->entries);
}

void olv_page_add(struct olv_page_writer *w, const struct olv_docket_entry *e)
{
    uint32_t target, arguments;
    w->spelt += strlen(e->directory) + strlen(e->target); /* as the ledger's lines about it do */
    put_rule(w, e);
    put_directory(w, e);
    arguments = put_arguments(w, e);
    target = put_target(w, e->target);
    put_location(w, e);
    wire_put(&w->bytes, 'E', 1);
    put_numbers(w, e, arguments);
    if (e->identity.kind == OLV_KIND_DIRECTORY)
        put_contents(&w->bytes, &e->contents);
    wire_put_string(&w->bytes, e->name, 2);
    wire_put(&w->bytes, target, 4);
    if (target != PAGE_NO_PATH)
        wire_put_string(&w->bytes, olv_path_name(e->target), 2);
    put_counts(w);
}

static void free_way(struct olv_page_way *way)
{
    olv_text_free(&way->path);
    free(way->steps);
}

void olv_page_free(struct olv_page_writer *w)
{
    olv_text_free(&w->bytes);
    olv_text_free(&w->scratch);
    olv_text_free(&w->boot);
    free_way(&w->here);
    free_way(&w->target);
    memset(w, 0, sizeof *w);
}
