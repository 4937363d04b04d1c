/* SPDX-License-Identifier: Apache-2.0 */
/* Writing a segment: a rule and a directory are written once, before the first entry that needs them. */
#include "docket/segment.h"

#include "base/bytes.h"
#include "base/digest.h"
#include "docket/wire.h"
#include "os/files.h"
#include "os/os.h"

#include <string.h>
#include <unistd.h>

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
    olv_text_add(&w->bytes, SEGMENT_MAGIC, sizeof SEGMENT_MAGIC);
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
    uint8_t *at = (uint8_t *)olv_text_room(&w->bytes, SEGMENT_NUMBERS);
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
    w->bytes.len += SEGMENT_NUMBERS;
}

static void put_contents(struct olv_text *out, const struct olv_contents *c)
{
    uint8_t *at = (uint8_t *)olv_text_room(out, SEGMENT_CONTENTS);
    if (!at)
        return;
    bytes_put64(at, c->entries);
    bytes_put64(at + 8, c->files);
    bytes_put64(at + 16, c->bytes);
    bytes_put64(at + 24, c->allocated_bytes);
    wire_put_instant(at + 32, c->youngest);
    out->len += SEGMENT_CONTENTS;
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
