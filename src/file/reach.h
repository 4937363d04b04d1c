/* SPDX-License-Identifier: Apache-2.0 */
/* Opens a directory that was recorded earlier, and makes sure that it is still the same. */
#ifndef OLV_FILE_REACH_H
#define OLV_FILE_REACH_H

#include "olvido/docket.h"
#include "olvido/text.h"

/* The last directory stays open, because entries come in directory order. */
struct olv_reach {
    int fd; /* -1 if none is open */
    uint64_t mount, inode, device;
    struct olv_text path; /* of the directory */
    bool is_ours;         /* see olv_directory_is_ours */
    bool is_append_only, is_immutable;
};

void olv_reach_begin(struct olv_reach *reach);
/* Opens the entry's directory without following links, and compares it with the entry: by its path, or, for
 * an act that takes empty directories only, from the open one within it. False with OLV_CHANGED if it is a
 * different directory now, or with OLV_SYSTEM. */
bool olv_reach_directory(struct olv_reach *reach, const struct olv_docket_entry *entry,
                         struct olv_error *err);
/* The same for settling. Within a boot, device and inode decide; after a reboot device and mount numbers may
 * differ, so the UUID (if both are known) and the inode decide. */
bool olv_reach_again(struct olv_reach *reach, const struct olv_docket_entry *entry, bool is_same_boot,
                     struct olv_error *err);
void olv_reach_end(struct olv_reach *reach);

#endif
