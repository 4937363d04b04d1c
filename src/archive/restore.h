/* SPDX-License-Identifier: Apache-2.0 */
/* Turns one member into a file, in an open directory. */
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

/* Gives an open file or directory the member's owner, attributes, mode and times. */
bool restore_attributes(int fd, const struct olv_member *member, const struct restore_options *options,
                        struct olv_error *err);
/* Writes at an offset; what is skipped becomes a hole. */
bool restore_write(int fd, const uint8_t *bytes, size_t len, uint64_t at, struct olv_error *err);
/* Gives a new file with its contents the member's length and metadata. */
bool restore_file(struct fresh *fresh, const struct olv_member *member, const struct restore_options *options,
                  struct olv_error *err);
/* Makes a link, a pipe or a device in the room. */
bool restore_special(const struct room *room, const struct olv_member *member,
                     const struct restore_options *options, struct olv_error *err);
/* Links a file into the room: by its descriptor or, if it cannot be opened (-1), by its name. */
bool restore_hard_link(int fd, int from, const char *from_name, const struct olv_stat *meant,
                       const struct room *room, struct olv_error *err);
/* Publishes what was made in the room; on failure, removes it. */
bool restore_rename(const struct room *room, const char *name, const struct restore_options *options,
                    char placed[NAME_MAX + 1], struct olv_error *err);

#endif
