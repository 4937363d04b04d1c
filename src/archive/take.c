/* SPDX-License-Identifier: Apache-2.0 */
#include "archive/take.h"

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

enum { MOST_ATTRIBUTES = 256, MOST_EXTENTS = 65536, SECTOR = 512 };

struct listing {
    struct taking *taking;
    struct olv_arena *arena;
    struct olv_error *err;
    struct olv_member_attribute attributes[MOST_ATTRIBUTES];
    size_t count;
};

/* ---- attributes ---- */

static bool add_list(struct listing *l, const char **to, const void *value, size_t len)
{
    struct olv_text text = {0};
    bool ok = acl_to_text(value, len, &text);
    *to = ok ? olv_arena_copy(l->arena, text.data, text.len) : "";
    olv_text_free(&text);
    if (!ok)
        return olv_fail(l->err, OLV_SYSTEM, "its access control list is of a kind that is not known here");
    return *to || olv_fail_memory(l->err);
}

static bool add_attribute(void *self, const char *name, const void *value, size_t len)
{
    struct listing *l = self;
    struct olv_member *m = &l->taking->member;
    struct olv_member_attribute *a;
    if (strcmp(name, ACL_ATTRIBUTE) == 0)
        return add_list(l, &m->acl, value, len);
    if (strcmp(name, ACL_DEFAULT_ATTRIBUTE) == 0)
        return add_list(l, &m->acl_default, value, len);
    if (olv_os_is_own_attribute(name))
        return true;
    if (l->count == MOST_ATTRIBUTES)
        return olv_fail(l->err, OLV_SYSTEM, "it has more than %d attributes", MOST_ATTRIBUTES);
    a = &l->attributes[l->count++];
    *a = (struct olv_member_attribute){olv_arena_copy(l->arena, name, strlen(name)),
                                       olv_arena_copy(l->arena, value, len), len};
    return (a->name && a->value) || olv_fail_memory(l->err);
}

static bool list_attributes(struct taking *t, struct olv_arena *arena, struct olv_error *err)
{
    struct listing l = {.taking = t, .arena = arena, .err = err};
    struct olv_member_attribute *copy;
    if (!olv_os_each_attribute(t->fd, add_attribute, &l))
        return err->code != OLV_OK ? false : olv_fail_system(err, "", "cannot read its attributes");
    if (l.count == 0)
        return true;
    copy = olv_arena_alloc(arena, l.count * sizeof *copy);
    if (!copy)
        return olv_fail_memory(err);
    memcpy(copy, l.attributes, l.count * sizeof *copy);
    t->member.attributes = copy;
    t->member.attribute_count = l.count;
    return true;
}

/* ---- holes ---- */

/* Where the data of a file is that takes less room than its length. With too many stretches, all of it is
 * data.
 */
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

static bool open_it(struct taking *t, int dir, const struct olv_docket_entry *e, struct olv_error *err)
{
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
    return olv_os_stat(t->fd, "", &t->stat) || olv_fail_system(err, e->name, "cannot look at it");
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

static void fill(struct taking *t, const char *path)
{
    const struct olv_stat *s = &t->stat;
    t->member = (struct olv_member){.path = path,
                                    .link = "",
                                    .kind = s->kind,
                                    .has_owner = true,
                                    .has_accessed = true,
                                    .mode = s->mode,
                                    .owner = s->owner,
                                    .group = s->group,
                                    .owner_name = "",
                                    .group_name = "",
                                    .major = s->special_major,
                                    .minor = s->special_minor,
                                    .is_block = s->is_block,
                                    .size_bytes = s->kind == OLV_KIND_FILE ? s->size_bytes : 0,
                                    .modified = s->modified,
                                    .accessed = s->accessed,
                                    .acl = "",
                                    .acl_default = ""};
}

bool take_begin(struct taking *t, int dir, const struct olv_docket_entry *e, const char *path,
                struct olv_arena *arena, struct olv_error *err)
{
    *t = (struct taking){.fd = -1};
    if (!open_it(t, dir, e, err)) {
        if (err->sys == ENOENT)
            olv_error_as(err, OLV_CHANGED);
        return false;
    }
    if (!olv_identity_holds(&e->identity, &t->stat, true))
        return olv_fail(err, OLV_CHANGED, "it changed since it was judged");
    fill(t, path);
    if (t->stat.kind == OLV_KIND_SOCKET)
        return olv_fail(err, OLV_REFUSED, "a socket cannot be archived");
    if (t->stat.kind == OLV_KIND_LINK)
        return read_link(t, dir, e->name, arena, err);
    if (t->stat.kind == OLV_KIND_FILE)
        t->is_watched = olv_os_watch(t->fd) == OLV_YES;
    return t->fd < 0 ||
           (list_attributes(t, arena, err) && (t->stat.kind != OLV_KIND_FILE || find_extents(t, arena, err)));
}

bool take_is_unchanged(const struct taking *t, int dir, const struct olv_docket_entry *e,
                       struct olv_error *err)
{
    struct olv_stat now;
    if (t->fd < 0 ? !olv_os_stat(dir, e->name, &now) : !olv_os_stat(t->fd, "", &now))
        return olv_fail_system(err, e->name, "cannot look at it again");
    if (!olv_identity_holds(&e->identity, &now, true))
        return olv_fail(err, OLV_CHANGED, "it changed while it was read");
    return !t->is_watched || !olv_os_is_watch_broken(t->fd) ||
           olv_fail(err, OLV_CHANGED, "somebody opened it for writing while it was read");
}

void take_end(struct taking *t)
{
    if (t->fd >= 0)
        close(t->fd);
    t->fd = -1;
}
