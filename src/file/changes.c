/* SPDX-License-Identifier: Apache-2.0 */
#include "file/changes.h"

#include "base/temporary.h"

#include <unistd.h>

enum { FIRST_SLOTS = 1024, GROWTH = 4 };

/* A slot that was never written reads as zeros; no file has inode 0. */
struct record {
    uint64_t mount, inode, links, changed_ns;
    int64_t changed_s;
};

static bool read_slot(const struct changes *c, uint64_t slot, struct record *out)
{
    ssize_t got = pread(fileno(c->file), out, sizeof *out, (off_t)(slot * sizeof *out));
    if (got == 0)
        *out = (struct record){0};
    return got == 0 || got == (ssize_t)sizeof *out;
}

/* The file's slot, or the free one that it would get. False if that cannot be read. */
static bool find_slot(const struct changes *c, const struct record *wanted, uint64_t *slot,
                      struct record *out)
{
    uint64_t hash = (wanted->inode ^ wanted->mount << 32) * 0x9E3779B97F4A7C15U;
    for (*slot = hash >> 20 & (c->slots - 1); read_slot(c, *slot, out); *slot = (*slot + 1) & (c->slots - 1))
        if (out->inode == 0 || (out->inode == wanted->inode && out->mount == wanted->mount))
            return true;
    return false;
}

static bool put(struct changes *c, const struct record *record)
{
    struct record there;
    uint64_t slot;
    if (!find_slot(c, record, &slot, &there) ||
        pwrite(fileno(c->file), record, sizeof *record, (off_t)(slot * sizeof *record)) !=
            (ssize_t)sizeof *record)
        return false;
    c->used += there.inode == 0;
    return true;
}

/* At most half of the slots are used, so that a free one is near. */
static bool make_room(struct changes *c)
{
    struct changes wider = {.slots = c->file ? c->slots * GROWTH : FIRST_SLOTS};
    struct record record;
    bool ok;
    if (c->file && c->used < c->slots / 2)
        return true;
    wider.file = olv_temporary();
    ok = wider.file && ftruncate(fileno(wider.file), (off_t)(wider.slots * sizeof record)) == 0;
    for (uint64_t i = 0; ok && c->file && i < c->slots; i++)
        ok = read_slot(c, i, &record) && (record.inode == 0 || put(&wider, &record));
    changes_free(ok ? c : &wider);
    if (ok)
        *c = wider;
    return ok;
}

void changes_note(struct changes *c, const struct olv_stat *now)
{
    const struct record record = {now->mount, now->inode, now->links, now->changed.ns, now->changed.s};
    if (make_room(c))
        put(c, &record);
}

bool changes_made(const struct changes *c, const struct olv_stat *now)
{
    const struct record wanted = {.mount = now->mount, .inode = now->inode};
    struct record found;
    uint64_t slot;
    return c->file && find_slot(c, &wanted, &slot, &found) && found.inode != 0 && found.links == now->links &&
           found.changed_s == now->changed.s && found.changed_ns == now->changed.ns;
}

void changes_free(struct changes *c)
{
    if (c->file)
        fclose(c->file);
    *c = (struct changes){0};
}
