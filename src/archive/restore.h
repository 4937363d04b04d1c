/* SPDX-License-Identifier: Apache-2.0 */
/* Making one member a file again, in an open directory. */
#ifndef OLV_ARCHIVE_RESTORE_H
#define OLV_ARCHIVE_RESTORE_H

#include "file/fresh.h"
#include "file/room.h"
#include "olvido/member.h"

struct restore_options {
    enum olv_if_exists if_exists;
    bool keeps_owners, makes_devices;
    const char *label; /* of new files */
};

/* Gives an open file or directory what the member had: owner, attributes, mode, times. */
bool restore_attributes(int fd, const struct olv_member *member, const struct restore_options *options,
                        struct olv_error *err);
/* Writes at a place; what is left out is a hole. */
bool restore_write(int fd, const uint8_t *bytes, size_t len, uint64_t at, struct olv_error *err);
/* Gives a fresh file, which has its contents, its length and attributes. */
bool restore_file(struct fresh *fresh, const struct olv_member *member, const struct restore_options *options,
                  struct olv_error *err);
/* Makes a link, a pipe or a device in the room. */
bool restore_special(const struct room *room, const struct olv_member *member,
                     const struct restore_options *options, struct olv_error *err);
/* Gives the file that is meant another name, in the room. By its descriptor; or, where it cannot be opened
 * (-1), by its name. */
bool restore_hard_link(int fd, int from, const char *from_name, const struct olv_stat *meant,
                       const struct room *room, struct olv_error *err);
/* Gives what was made in the room its own name outside. Where that cannot be, it is removed. */
bool restore_rename(const struct room *room, const char *name, const struct restore_options *options,
                    char placed[NAME_MAX + 1], struct olv_error *err);

#endif
