/* SPDX-License-Identifier: Apache-2.0 */
/* A member of an archive: what the archive says about one file. */
#ifndef OLVIDO_MEMBER_H
#define OLVIDO_MEMBER_H

#include "olvido/calendar.h"
#include "olvido/entry.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* An extended attribute; `name` as the system spells it ("user.station"). */
struct olv_member_attribute {
    const char *name;
    const void *value;
    size_t len;
};

/* A stretch of data between holes. */
struct olv_extent {
    uint64_t at, length;
};

/* Strings and lists are borrowed from whoever filled it. */
struct olv_member {
    const char *path; /* raw bytes as in the archive, without trailing slashes */
    const char *link; /* of a link: its target; of a hard link: the path of the other member; else "" */
    enum olv_kind kind;
    bool is_hard_link; /* another name for an earlier member */
    bool is_block;     /* of a device: a block device, not a character device */
    bool is_encrypted; /* its data cannot be read */
    bool has_accessed, has_owner, has_digest;
    uint32_t mode; /* permission, set-id and sticky bits: 07777 */
    uint32_t owner, group;
    const char *owner_name, *group_name; /* "" if the archive does not say */
    uint32_t major, minor;               /* of a device */
    uint64_t size_bytes;                 /* of its contents, including holes */
    uint64_t packed_bytes; /* their size in the archive if each member is packed alone; else 0 */
    struct olv_instant modified, accessed;
    const struct olv_member_attribute *attributes;
    size_t attribute_count;
    const char *acl,
        *acl_default; /* access control lists in the text form of POSIX.1e draft 17, 23.3.1; "" */
    bool is_sparse;
    const struct olv_extent *extents; /* of a sparse file: where its data is; otherwise it is all data */
    size_t extent_count;
    uint64_t at; /* where its header begins in the unpacked archive */
};

#endif
