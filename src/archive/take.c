/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/take.h"

#include "archive/manifest_member.h"
#include "file/attributes.h"
#include "file/identity.h"
#include "olvido/text.h"
#include "os/files.h"
#include "os/os.h"
#include "pack/acl.h"

#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <string.h>
#include <unistd.h>

#define BROKEN "somebody opened it for writing while it was being read"
enum { MOST_ATTRIBUTES = 256, MOST_ATTRIBUTE_BYTES = 4 << 20, MOST_EXTENTS = 65536, SECTOR = 512 };
/* In base64 they are within the line of the manifest that its reader takes. */
_Static_assert(MOST_ATTRIBUTE_BYTES / 3 * 4 + (1 << 20) < MANIFEST_LONGEST_LINE, "a line would be too long");

struct listing {
    struct taking *taking;
    struct olv_arena *arena;
    struct olv_error *err;
    struct olv_member_attribute attributes[MOST_ATTRIBUTES];
    size_t count, bytes;
    struct olv_member_attribute note; /* of its origin */
};

/* ---- attributes ---- */

static bool add_list(struct listing *l, const char **to, const void *value, size_t len)
{
    struct olv_text text = {0};
    bool ok = acl_to_text(value, len, &text);
    *to = ok ? olv_arena_copy(l->arena, text.data, text.len) : "";
    olv_text_free(&text);
    if (!ok)
        return olv_fail(l->err, OLV_SYSTEM, "its access control list is of an unknown kind");
    return *to || olv_fail_memory(l->err);
}

static bool take_keep(const struct listing *l, const char *name, const void *value, size_t len,
                      struct olv_member_attribute *out)
{
    *out = (struct olv_member_attribute){olv_arena_copy(l->arena, name, strlen(name)),
                                         olv_arena_copy(l->arena, value, len), len};
    return (out->name && out->value) || olv_fail_memory(l->err);
}

/* Olvido's own note about this file goes into the manifest, not into the attributes. */
static bool add_attribute(void *self, const char *name, const void *value, size_t len)
{
    struct listing *l = self;
    struct olv_member *m = &l->taking->member;
    if (strcmp(name, ACL_ATTRIBUTE) == 0)
        return add_list(l, &m->acl, value, len);
    if (strcmp(name, ACL_DEFAULT_ATTRIBUTE) == 0)
        return add_list(l, &m->acl_default, value, len);
    if (strcmp(name, ORIGIN_NOTE) == 0)
        return take_keep(l, name, value, len, &l->note);
    if (olv_os_is_own_attribute(name))
        return true;
    if (l->count == MOST_ATTRIBUTES)
        return olv_fail(l->err, OLV_SYSTEM, "it has more than %d attributes", MOST_ATTRIBUTES);
    l->bytes += strlen(name) + len;
    if (l->bytes > MOST_ATTRIBUTE_BYTES)
        return olv_fail(l->err, OLV_SYSTEM, "its attributes have more than %d MiB",
                        MOST_ATTRIBUTE_BYTES >> 20);
    return take_keep(l, name, value, len, &l->attributes[l->count++]);
}

/* By the state in which the note was found: a later change is noticed. */
static bool know_origin(struct taking *t, const struct listing *l, const struct taking_room *room)
{
    struct origin origin;
    struct olv_stat stat;
    if (!l->note.value || !olv_os_stat(t->fd, "", &stat) ||
        !origin_verify(l->note.value, l->note.len, &stat, room->notes, &origin))
        return true;
    t->was = olv_arena_copy(room->arena, origin.name, strlen(origin.name));
    t->was_bytes = origin.size_bytes;
    return t->was || olv_fail_memory(l->err);
}

static bool list_attributes(struct taking *t, struct taking_room *room, struct olv_error *err)
{
    struct olv_member_attribute *copy;
    struct listing l; /* has room for many */
    l.taking = t;
    l.arena = room->arena;
    l.err = err;
    l.count = l.bytes = 0;
    l.note = (struct olv_member_attribute){0};
    if (!olv_os_each_attribute(t->fd, add_attribute, &l))
        return err->code != OLV_OK ? false : olv_fail_system(err, "", "cannot read its attributes");
    if (!know_origin(t, &l, room))
        return false;
    if (l.count == 0)
        return true;
    copy = olv_arena_alloc(room->arena, l.count * sizeof *copy);
    if (!copy)
        return olv_fail_memory(err);
    memcpy(copy, l.attributes, l.count * sizeof *copy);
    t->member.attributes = copy;
    t->member.attribute_count = l.count;
    return true;
}

/* ---- holes ---- */

/* Where the data of a sparse file is. With too many ranges, everything counts as data. */
static bool find_extents(struct taking *t, struct olv_arena *arena, struct olv_error *err)
{
    struct olv_member *m = &t->member;
    struct olv_extent *list;
    uint64_t begin, end, at = 0;
    size_t count = 0, i = 0;
    if (t->stat.allocated_bytes / SECTOR >= (t->stat.size_bytes + SECTOR - 1) / SECTOR)
        return true;
    for (; count <= MOST_EXTENTS && olv_os_next_data(t->fd, at, m->size_bytes, &begin, &end); at = end)
        count++;
    if (count > MOST_EXTENTS || (count == 1 && begin == 0 && end == m->size_bytes))
        return true;
    list = olv_arena_alloc(arena, (count + 1) * sizeof *list);
    if (!list)
        return olv_fail_memory(err);
    for (at = 0; i < count && olv_os_next_data(t->fd, at, m->size_bytes, &begin, &end); at = end)
        list[i++] = (struct olv_extent){begin, end - begin};
    m->is_sparse = true;
    m->extents = list;
    m->extent_count = i;
    return true;
}

/* ---- what it is ---- */

static bool take_open_it(struct taking *t, int dir, const struct olv_docket_entry *e, struct olv_error *err)
{
    *t = (struct taking){.fd = -1, .member.acl = "", .member.acl_default = ""};
    switch (e->identity.kind) {
    case OLV_KIND_FILE:
        t->fd = olv_os_open_file(dir, e->name);
        break;
    case OLV_KIND_DIRECTORY:
        t->fd = olv_os_open_dir(dir, e->name, false);
        break;
    default:
        return olv_os_stat(dir, e->name, &t->stat) || olv_fail_system(err, e->name, "cannot look at it");
    }
    if (t->fd < 0)
        return olv_fail_system(err, e->name, "cannot read it");
    return true;
}

static bool take_look(struct taking *t, const struct olv_docket_entry *e, struct olv_error *err)
{
    if (t->fd >= 0 && !olv_os_stat(t->fd, "", &t->stat))
        return olv_fail_system(err, e->name, "cannot look at it");
    return olv_identity_holds(&e->identity, &t->stat, true) ||
           olv_fail(err, OLV_CHANGED, "it changed since it was judged");
}

/* A watch tells when somebody opens the file for writing. A copy whose original stays does not need one if
 * ctime exposes changes; ctime advances in steps of some milliseconds. */
static void take_watch(struct taking *t, const struct olv_docket_entry *e, const struct taking_room *room)
{
    enum { LATELY_S = 2 };
    if (!room->stays || e->identity.changed.s + LATELY_S >= olv_os_now().s)
        t->is_watched = olv_os_watch(t->fd) == OLV_YES;
}

/* If that fails, it is read in its turn. */
static void read_early(struct taking *t, const struct olv_docket_entry *e, struct taking_room *room)
{
    size_t size = (size_t)e->identity.size_bytes;
    if (e->identity.size_bytes <= sizeof room->early &&
        pread(t->fd, room->early, sizeof room->early, 0) == (ssize_t)size)
        t->early = room->early;
}

static bool read_link(struct taking *t, int dir, const char *name, struct olv_arena *arena,
                      struct olv_error *err)
{
    char target[PATH_MAX];
    ssize_t len = readlinkat(dir, name, target, sizeof target);
    if (len < 0 || len == (ssize_t)sizeof target)
        return olv_fail_system(err, name, "cannot read where the link points to");
    t->member.link = olv_arena_copy(arena, target, (size_t)len);
    return t->member.link || olv_fail_memory(err);
}

static void take_fill(struct taking *t, const char *path)
{
    const struct olv_stat *s = &t->stat;
    struct olv_member *m = &t->member; /* attributes and lists are set already */
    m->path = path;
    m->link = m->owner_name = m->group_name = "";
    m->kind = s->kind;
    m->has_owner = m->has_accessed = true;
    m->mode = s->mode;
    m->owner = s->owner;
    m->group = s->group;
    m->major = s->special_major;
    m->minor = s->special_minor;
    m->is_block = s->is_block;
    m->size_bytes = s->kind == OLV_KIND_FILE ? s->size_bytes : 0;
    m->modified = s->modified;
    m->accessed = s->accessed;
}

bool take_begin(struct taking *t, int dir, const struct olv_docket_entry *e, const char *path,
                struct taking_room *room, struct olv_error *err)
{
    bool is_file = e->identity.kind == OLV_KIND_FILE;
    if (!take_open_it(t, dir, e, err)) {
        if (err->sys == ENOENT)
            olv_error_as(err, OLV_CHANGED);
        return false;
    }
    if (is_file)
        take_watch(t, e, room);
    if (is_file)
        read_early(t, e, room);
    if (t->fd >= 0 && !list_attributes(t, room, err))
        return false;
    if (!take_look(t, e, err))
        return false;
    take_fill(t, path);
    if (t->stat.kind == OLV_KIND_SOCKET)
        return olv_fail(err, OLV_REFUSED, "a socket cannot be archived");
    if (t->stat.kind == OLV_KIND_LINK)
        return read_link(t, dir, e->name, room->arena, err);
    return !is_file || find_extents(t, room->arena, err);
}

static bool is_watch_broken(const struct taking *t)
{
    return t->is_watched && olv_os_is_watch_broken(t->fd);
}

bool take_is_unchanged(const struct taking *t, int dir, const struct olv_docket_entry *e,
                       struct olv_error *err)
{
    struct olv_stat now;
    if (t->early && !t->member.is_sparse)
        return !is_watch_broken(t) || olv_fail(err, OLV_CHANGED, BROKEN);
    if (t->fd < 0 ? !olv_os_stat(dir, e->name, &now) : !olv_os_stat(t->fd, "", &now))
        return olv_fail_system(err, e->name, "cannot look at it again");
    if (!olv_identity_holds(&e->identity, &now, true))
        return olv_fail(err, OLV_CHANGED, "it changed while it was being read");
    return !is_watch_broken(t) || olv_fail(err, OLV_CHANGED, BROKEN);
}

void take_end(struct taking *t)
{
    olv_os_close(t->fd);
    t->fd = -1;
}
