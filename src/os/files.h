/* SPDX-License-Identifier: Apache-2.0 */
/* The part of the system interface for contents and attributes of files: reading without a trace, unnamed new
 * files, extended attributes, holes. */
#ifndef OLV_OS_FILES_H
#define OLV_OS_FILES_H

#include "olvido/entry.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <sys/types.h>

/* Opens a file for reading: no link is followed, a pipe does not block, and where permitted its access time
 * does not change. */
int olv_os_open_file(int dir, const char *name);

/* Whether nobody has the open file open for writing, and watches that it stays so. OLV_YES: watched until its
 * descriptor is closed. OLV_NO: somebody has it open. OLV_UNKNOWN: the system does not tell. */
enum olv_truth olv_os_watch(int fd);
/* Whether somebody has opened a watched file since. */
bool olv_os_is_watch_broken(int fd);

/* A new file without a name in the directory, open for reading and writing, mode 0600. -1 with EOPNOTSUPP if
 * this file system cannot do that. */
int olv_os_make_unnamed(int dir);
/* Names it; EEXIST if the name is taken. */
bool olv_os_name_unnamed(int fd, int dir, const char *name);

/* The UUID of the file system of an open directory, which survives a reboot. False if the system does not
 * tell, or there is none. */
bool olv_os_uuid(int fd, uint8_t out[16]);

/* The project that an open file or directory counts for, by quota; false if the file system knows none. And
 * gives it to another one. */
bool olv_os_project(int fd, uint32_t *out);
bool olv_os_set_project(int fd, uint32_t project);

/* Starts writing a range of the file to disk, so that less is left for fsync; does not wait. */
void olv_os_begin_sync(int fd, uint64_t at, uint64_t length);

/* Creates a device node; `type` is S_IFBLK or S_IFCHR. */
bool olv_os_make_device(int dir, const char *name, mode_t type, uint32_t major, uint32_t minor);

/* ---- extended attributes; access control lists are among them ---- */

/* Calls `each` for every extended attribute of an open file until it returns false. False with errno if they
 * cannot be read, or with errno 0 if `each` stopped. A file system without attributes has none. */
bool olv_os_each_attribute(int fd, bool (*each)(void *self, const char *name, const void *value, size_t len),
                           void *self);
/* The value, at most `size` bytes; -1 with errno (ENODATA: there is none). */
ssize_t olv_os_get_attribute(int fd, const char *name, void *value, size_t size);
/* The same for a name in a directory, of a file that may be unreadable; does not follow a link. */
ssize_t olv_os_get_attribute_of(int dir, const char *file, const char *name, void *value, size_t size);
bool olv_os_set_attribute(int fd, const char *name, const void *value, size_t len);
bool olv_os_remove_attribute(int fd, const char *name);
/* Removes the access control lists that an open file or directory inherited, including the default one.
 * Without any it succeeds. */
bool olv_os_clear_lists(int fd);
/* Whether the system maintains this attribute itself, so that a copy may differ. */
bool olv_os_is_own_attribute(const char *name);

/* ---- holes ---- */

/* The next range with data at or after `from`; false if there is none up to the end. If the system does not
 * tell, everything is data. */
bool olv_os_next_data(int fd, uint64_t from, uint64_t size, uint64_t *begin, uint64_t *end);

#endif
