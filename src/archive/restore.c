/* SPDX-License-Identifier: Apache-2.0 */
/* Everything is made under a temporary name, gets its metadata, and is then published, so that nothing
 * incomplete is ever at its destination. */
#include "archive/restore.h"

#include "file/attributes.h"
#include "file/rename.h"
#include "os/files.h"
#include "os/os.h"
#include "pack/acl.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { SET_ID = 06000 };

/* ---- attributes ---- */

static bool set_list(int fd, const char *attribute, const char *text, struct olv_error *err)
{
    struct olv_text bytes = {0};
    bool ok = true;
    if (!*text)
        return true;
    if (!acl_from_text(text, &bytes))
        ok = olv_fail(err, OLV_BROKEN, "its access control list makes no sense");
    else if (!olv_os_set_attribute(fd, attribute, bytes.data, bytes.len))
        ok = olv_fail_system(err, "", "cannot give it its access control list");
    olv_text_free(&bytes);
    return ok;
}

/* Skips what only root may set, unless everything is wanted. */
static bool is_wanted(const struct olv_member_attribute *a, const struct restore_options *o)
{
    bool is_users = strncmp(a->name, "user.", 5) == 0;
    if (olv_os_is_own_attribute(a->name) || strncmp(a->name, ATTRIBUTES_NOTES, strlen(ATTRIBUTES_NOTES)) == 0)
        return false;
    return is_users || (o->keeps_owners && strncmp(a->name, "system.posix_acl", 16) != 0);
}

static bool set_attributes(int fd, const struct olv_member *m, const struct restore_options *o,
                           struct olv_error *err)
{
    for (size_t i = 0; i < m->attribute_count; i++) {
        const struct olv_member_attribute *a = &m->attributes[i];
        if (is_wanted(a, o) && !olv_os_set_attribute(fd, a->name, a->value, a->len))
            return olv_fail_system(err, "", "cannot give it its attribute %.100s", a->name);
    }
    return !o->keeps_owners || (set_list(fd, ACL_ATTRIBUTE, m->acl, err) &&
                                set_list(fd, ACL_DEFAULT_ATTRIBUTE, m->acl_default, err));
}

static uint32_t mode_of(const struct olv_member *m, const struct restore_options *o)
{
    return o->keeps_owners ? m->mode : m->mode & ~(uint32_t)SET_ID;
}

static void times_of(const struct olv_member *m, struct timespec times[2])
{
    const struct olv_instant *accessed = m->has_accessed ? &m->accessed : &m->modified;
    times[0] = (struct timespec){(time_t)accessed->s, (long)accessed->ns};
    times[1] = (struct timespec){(time_t)m->modified.s, (long)m->modified.ns};
}

bool restore_attributes(int fd, const struct olv_member *m, const struct restore_options *o,
                        struct olv_error *err)
{
    struct timespec times[2];
    times_of(m, times);
    if (o->keeps_owners && m->has_owner && fchown(fd, (uid_t)m->owner, (gid_t)m->group) != 0)
        return olv_fail_system(err, "", "cannot give it its owner and group");
    if (!set_attributes(fd, m, o, err))
        return false;
    if (fchmod(fd, (mode_t)mode_of(m, o)) != 0)
        return olv_fail_system(err, "", "cannot give it its mode");
    return futimens(fd, times) == 0 || olv_fail_system(err, "", "cannot give it its times");
}

/* ---- files ---- */

bool restore_write(int fd, const uint8_t *bytes, size_t len, uint64_t at, struct olv_error *err)
{
    while (len) {
        ssize_t n = pwrite(fd, bytes, len, (off_t)at);
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            return olv_fail_system(err, "", "cannot write it");
        bytes += n;
        at += (uint64_t)n;
        len -= (size_t)n;
    }
    return true;
}

bool restore_file(struct fresh *fresh, const struct olv_member *m, const struct restore_options *o,
                  struct olv_error *err)
{
    if (ftruncate(fresh->fd, (off_t)m->size_bytes) != 0) /* a hole at its end */
        return olv_fail_system(err, "", "cannot give it its length");
    return restore_attributes(fresh->fd, m, o, err);
}

/* ---- what is no file ---- */

static bool restore_make(int dir, const char *name, const struct olv_member *m)
{
    mode_t type = m->is_block ? S_IFBLK : S_IFCHR;
    switch (m->kind) {
    case OLV_KIND_LINK:
        return symlinkat(m->link, dir, name) == 0;
    case OLV_KIND_PIPE:
        return mkfifoat(dir, name, 0600) == 0;
    default:
        return olv_os_make_device(dir, name, type, m->major, m->minor);
    }
}

/* By name, because they cannot be opened; nobody else can reach into the room. */
static bool finish_special(int dir, const char *name, const struct olv_member *m,
                           const struct restore_options *o, struct olv_error *err)
{
    struct timespec times[2];
    times_of(m, times);
    if (o->keeps_owners && m->has_owner &&
        fchownat(dir, name, (uid_t)m->owner, (gid_t)m->group, AT_SYMLINK_NOFOLLOW) != 0)
        return olv_fail_system(err, "", "cannot give it its owner and group");
    if (m->kind != OLV_KIND_LINK && fchmodat(dir, name, (mode_t)mode_of(m, o), AT_SYMLINK_NOFOLLOW) != 0)
        return olv_fail_system(err, "", "cannot give it its mode");
    return utimensat(dir, name, times, AT_SYMLINK_NOFOLLOW) == 0 ||
           olv_fail_system(err, "", "cannot give it its times");
}

bool restore_rename(const struct room *room, const char *name, const struct restore_options *o,
                    char placed[NAME_MAX + 1], struct olv_error *err)
{
    if (rename_to(room->dir, room->thing, room->outside, name, o->if_exists, NULL, placed, err))
        return true;
    room_clear(room);
    if (err->code == OLV_EXISTS)
        olv_fail(err, OLV_EXISTS, "there is a %.250s already", name);
    return false;
}

bool restore_special(const struct room *room, const struct olv_member *m, const struct restore_options *o,
                     struct olv_error *err)
{
    if (m->kind == OLV_KIND_DEVICE && !o->makes_devices)
        return olv_fail(err, OLV_REFUSED, "it is a device, and devices are made only with --devices");
    if (m->kind == OLV_KIND_LINK && !*m->link)
        return olv_fail(err, OLV_BROKEN, "it is a link to nothing");
    if (!restore_make(room->dir, room->thing, m))
        return olv_fail_system(err, "", "cannot make it");
    if (finish_special(room->dir, room->thing, m, o, err))
        return true;
    room_clear(room);
    return false;
}

/* If a descriptor cannot be linked, the name is; it must then prove to be the same file. */
static bool link_by_name(int from, const char *from_name, const struct olv_stat *meant,
                         const struct room *room)
{
    struct olv_stat linked;
    if (linkat(from, from_name, room->dir, room->thing, 0) != 0)
        return false;
    if (olv_os_stat(room->dir, room->thing, &linked) && meant->inode == linked.inode &&
        meant->device == linked.device)
        return true;
    room_clear(room);
    errno = ESTALE;
    return false;
}

bool restore_hard_link(int fd, int from, const char *from_name, const struct olv_stat *meant,
                       const struct room *room, struct olv_error *err)
{
    if (fd >= 0 && olv_os_name_unnamed(fd, room->dir, room->thing))
        return true;
    return ((fd < 0 || errno == EOPNOTSUPP) && link_by_name(from, from_name, meant, room)) ||
           olv_fail_system(err, "", "cannot link it to the other member");
}
