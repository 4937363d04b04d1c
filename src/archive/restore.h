/* SPDX-License-Identifier: Apache-2.0 */
/* Making one member a file again, in an open directory. */
#ifndef OLV_ARCHIVE_RESTORE_H
#define OLV_ARCHIVE_RESTORE_H

#include "file/fresh.h"
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
/* The name that something has in its directory until it gets its own. */
enum { RESTORE_OWN = 64 };
void restore_own_name(char out[RESTORE_OWN], const struct restore_options *options);
/* Makes a link, a pipe or a device under that name. */
bool restore_special(int dir, const struct olv_member *member, const struct restore_options *options,
                     struct olv_error *err);
/* Gives a file another name: that one. By its descriptor; or, where it cannot be opened (-1), by its name. */
bool restore_hard_link(int fd, int from, const char *from_name, int dir,
                       const struct restore_options *options, struct olv_error *err);
/* Gives what stands there its own name. Where that cannot be, it is removed. */
bool restore_place(int dir, const char *name, const struct restore_options *options,
                   char placed[NAME_MAX + 1], struct olv_error *err);

#endif
