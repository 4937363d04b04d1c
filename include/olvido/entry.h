/* SPDX-License-Identifier: Apache-2.0 */
/* What the operating system says about one name in a directory. */
#ifndef OLVIDO_ENTRY_H
#define OLVIDO_ENTRY_H

#include "olvido/calendar.h"

#include <stdbool.h>
#include <stdint.h>

/* These numbers are stored in dockets and catalogues. */
enum olv_kind {
    OLV_KIND_UNKNOWN = 0,
    OLV_KIND_FILE = 1,
    OLV_KIND_DIRECTORY = 2,
    OLV_KIND_LINK = 3, /* the symbolic link itself, never its target */
    OLV_KIND_SOCKET = 4,
    OLV_KIND_PIPE = 5,
    OLV_KIND_DEVICE = 6
};

/* "file", "directory", "link", "socket", "pipe", "device", "unknown". */
const char *olv_kind_word(enum olv_kind kind);

/* The truth of a statement that may be undecidable; if it cannot be known the answer is "unknown", never
 * "no". */
enum olv_truth { OLV_NO = 0, OLV_YES, OLV_UNKNOWN };

struct olv_stat {
    enum olv_kind kind;
    uint32_t mode; /* permission, set-id and sticky bits: 07777 */
    uint32_t owner, group;
    uint64_t links;
    uint64_t size_bytes;
    uint64_t allocated_bytes; /* on disk */
    uint64_t inode;
    uint64_t mount;  /* the mount it was reached through; tells mounts apart, unlike the device number */
    uint64_t device; /* of the file system: the same through all its mounts, but not across restarts */
    struct olv_instant modified, accessed, changed;
    struct olv_instant born; /* only if `has_born` */
    bool has_born;
    bool is_immutable, is_append_only;     /* file attributes that prevent changes */
    bool is_block;                         /* of a device: it is a block device */
    uint32_t special_major, special_minor; /* of a device: its numbers */
};

#endif
