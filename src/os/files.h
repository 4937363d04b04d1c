/* SPDX-License-Identifier: Apache-2.0 */
/* The part of the wall between Olvido and the operating system that is about contents and attributes of
 * files: reading without leaving a trace, new files without a name, extended attributes, holes. */
#ifndef OLV_OS_FILES_H
#define OLV_OS_FILES_H

#include "olvido/entry.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <sys/types.h>

/* Opens a file for reading without following a link, without waiting (a pipe), and where it is allowed
 * without changing its time of access. */
int olv_os_open_file(int dir, const char *name);

/* Whether nobody has the open file open for writing; asked to stay so. OLV_YES: the file is watched until its
 * descriptor is closed. OLV_NO: somebody has it open. OLV_UNKNOWN: the system does not tell us. */
enum olv_truth olv_os_watch(int fd);
/* Whether somebody has asked for a watched file meanwhile. */
bool olv_os_is_watch_broken(int fd);

/* A new file in the directory that has no name yet, open for reading and writing, mode 0600. -1 where this
 * file system has none (EOPNOTSUPP). */
int olv_os_make_unnamed(int dir);
/* Gives it one; EEXIST where that is taken. */
bool olv_os_name_unnamed(int fd, int dir, const char *name);

/* The UUID of the file system behind an open directory, by which it is known after a restart. False where the
 * system does not tell, or it has none. */
bool olv_os_uuid(int fd, uint8_t out[16]);

/* Begins to bring a stretch of the file to the disk, so that less is left for the sync; waits for nothing. */
void olv_os_begin_sync(int fd, uint64_t at, uint64_t length);

/* Makes a device node; `type` is S_IFBLK or S_IFCHR. */
bool olv_os_make_device(int dir, const char *name, mode_t type, uint32_t major, uint32_t minor);

/* ---- extended attributes; access control lists are among them ---- */

/* Calls `each` with every one of an open file; stops when it returns false. False with errno when they cannot
 * be read, or `each` stopped (errno 0). A file system without any has none. */
bool olv_os_each_attribute(int fd, bool (*each)(void *self, const char *name, const void *value, size_t len),
                           void *self);
/* The value, of at most `size` bytes; -1 and errno (ENODATA: there is none). */
ssize_t olv_os_get_attribute(int fd, const char *name, void *value, size_t size);
/* The same for a name in a directory, of a file that need not be readable; a link is not followed. */
ssize_t olv_os_get_attribute_of(int dir, const char *file, const char *name, void *value, size_t size);
bool olv_os_set_attribute(int fd, const char *name, const void *value, size_t len);
bool olv_os_remove_attribute(int fd, const char *name);
/* Takes away the access control lists of an open file or directory, the default one too: what the directory
 * that it was made in has given it. What has none is as it should be. */
bool olv_os_clear_lists(int fd);
/* Whether this one is the system's own affair, and need not be the same on a copy. */
bool olv_os_is_own_attribute(const char *name);

/* ---- holes ---- */

/* The next stretch with data at or after `from`; false where there is none up to the end. Where the system
 * does not tell, all of it is data. */
bool olv_os_next_data(int fd, uint64_t from, uint64_t size, uint64_t *begin, uint64_t *end);

#endif
