/* SPDX-License-Identifier: Apache-2.0 */
/* Mount and inode identify a file, size and times its state; the birth time exposes a reused inode. */
#include "file/identity.h"

#include <unistd.h>

struct olv_identity olv_identity_of(const struct olv_stat *stat)
{
    return (struct olv_identity){
        .kind = stat->kind,
        .has_born = stat->has_born,
        .mount = stat->mount,
        .inode = stat->inode,
        .size_bytes = stat->size_bytes,
        .modified = stat->modified,
        .changed = stat->changed,
        .born = stat->born,
    };
}

struct olv_directory_id olv_directory_id_of(const struct olv_stat *stat)
{
    return (struct olv_directory_id){.mount = stat->mount, .device = stat->device, .inode = stat->inode};
}

static bool identity_same(struct olv_instant a, struct olv_instant b)
{
    return olv_instant_compare(a, b) == 0;
}

bool olv_identity_is(const struct olv_identity *i, const struct olv_stat *stat)
{
    return i->mount == stat->mount && i->inode == stat->inode && i->has_born == stat->has_born &&
           (!i->has_born || identity_same(i->born, stat->born));
}

bool olv_identity_remains(const struct olv_identity *i, const struct olv_stat *stat)
{
    return i->kind == stat->kind && i->inode == stat->inode &&
           (!i->has_born || !stat->has_born || identity_same(i->born, stat->born));
}

bool olv_identity_survived(const struct olv_identity *i, const struct olv_stat *stat)
{
    return olv_identity_remains(i, stat) && i->size_bytes == stat->size_bytes &&
           identity_same(i->modified, stat->modified);
}

bool olv_identity_holds(const struct olv_identity *i, const struct olv_stat *stat, bool with_changed)
{
    return i->mount == stat->mount && olv_identity_survived(i, stat) &&
           (!with_changed || identity_same(i->changed, stat->changed));
}

bool olv_directory_is_ours(const struct olv_stat *directory)
{
    bool is_owner_trusted = directory->owner == 0 || directory->owner == (uint32_t)geteuid();
    return is_owner_trusted && (directory->mode & 0022) == 0;
}
