/* SPDX-License-Identifier: Apache-2.0 */
/* What the register knows of levels of protection: which Olvido set, when and for whom. */
#ifndef OLVIDO_PROTECTED_H
#define OLVIDO_PROTECTED_H

#include "olvido/hold.h"

/* These numbers are stored; as bits they form sets. */
enum olv_protection {
    OLV_READONLY = 1,    /* nobody may write it, by its mode; root can all the same */
    OLV_APPEND_ONLY = 2, /* contents (of a directory: names) are only added, by root, too */
    OLV_FROZEN = 4       /* not even root changes, renames, links or removes it */
};

/* One level that one rule, or a person, gave one file or directory: known by its inode and birth time, and
 * the UUID of its file system where that is known; without a birth time by its path. */
struct olv_protected {
    const char *path; /* absolute, as it was then */
    uint8_t uuid[16]; /* of its file system; zeros: unknown */
    uint64_t inode;
    bool has_born;
    struct olv_instant born;
    const char *rule; /* "": a person, by hand */
    const char *run;  /* in which */
    enum olv_protection level;
    bool was_so;   /* before that, so that lifting it leaves it */
    bool has_list; /* it had an access control list, */
    uint32_t mode; /* and this mode, before that */
    struct olv_instant since;
};

/* Calls `each` for every row of a file, of which `path`, `uuid`, `inode` and `born` are given. OLV_NO: there
 * is none. OLV_UNKNOWN with `err` if the register cannot be read. */
enum olv_truth olv_register_protection(struct olv_register *reg, const struct olv_protected *file,
                                       void (*each)(void *self, const struct olv_protected *row), void *self,
                                       struct olv_error *err);

/* A file of which only our own acts changed attributes since: its ctime becomes the one before that.
 * OLV_UNKNOWN with `err` if the register cannot be read. */
enum olv_truth olv_register_before_marked(struct olv_register *reg, struct olv_stat *stat,
                                          struct olv_error *err);

#endif
