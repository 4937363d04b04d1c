/* SPDX-License-Identifier: Apache-2.0 */
/* Directories that are ours alone: the state directory, the trash, and what is in them. */
#ifndef OLV_FILE_PRIVATE_H
#define OLV_FILE_PRIVATE_H

#include "olvido/error.h"

#include <stdbool.h>
#include <stddef.h>

/* Opens the directory `name` in `dir` (or the path `name`, with dir AT_FDCWD). It must be a directory and no
 * link, belong to us, and not be writable by others. With `create` it is made, mode 0700, if it is missing.
 * `path` and `what` are for the error ("the trash"). Returns -1 with `err` set; err->sys is ENOENT when it
 * does not exist. */
int olv_private_open(int dir, const char *name, bool create, const char *path, const char *what,
                     struct olv_error *err);
/* Makes the directories that lead to the last component of an absolute path. */
bool olv_make_parents(const char *path, struct olv_error *err);

/* Puts a new file in the place of `name`, whole or not at all, and on the disk: written beside, synced,
 * renamed. */
bool olv_publish(int dir, const char *name, const void *bytes, size_t len, struct olv_error *err);
/* Writes and syncs a file that must not exist yet. */
bool olv_write_new(int dir, const char *name, const void *bytes, size_t len, struct olv_error *err);
bool olv_write_all(int fd, const void *bytes, size_t len);

struct olv_text;
/* Reads a whole file of at most `most` bytes. */
bool olv_read_file(int dir, const char *name, size_t most, struct olv_text *out, struct olv_error *err);

#endif
