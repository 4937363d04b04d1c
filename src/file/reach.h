/* SPDX-License-Identifier: Apache-2.0 */
/* Reaching a directory that was recorded earlier, and making sure that it is still the same one. */
#ifndef OLV_FILE_REACH_H
#define OLV_FILE_REACH_H

#include "olvido/docket.h"
#include "olvido/text.h"

/* The directory of the entry reached last stays open: entries come in directory order. */
struct olv_reach {
    int fd; /* -1 while nothing is reached */
    uint64_t mount, inode, device;
    struct olv_text path; /* of the directory */
    bool is_ours;         /* see olv_directory_is_ours */
};

void olv_reach_begin(struct olv_reach *reach);
/* Opens the entry's directory, without following links, and compares it with what the entry says. False with
 * OLV_CHANGED when it is not the same directory any more, or with OLV_SYSTEM. */
bool olv_reach_directory(struct olv_reach *reach, const struct olv_docket_entry *entry,
                         struct olv_error *err);
/* The same when settling. In the same boot the device and the inode tell; after a restart numbers of devices
 * and mounts may be other ones: the UUID where both are known, and the inode. */
bool olv_reach_again(struct olv_reach *reach, const struct olv_docket_entry *entry, bool is_same_boot,
                     struct olv_error *err);
void olv_reach_end(struct olv_reach *reach);

#endif
