/* SPDX-License-Identifier: Apache-2.0 */
/* Directories that are ours alone: the state directory, the trash, and what is in them. */
#ifndef OLV_OS_PRIVATE_H
#define OLV_OS_PRIVATE_H

#include "olvido/error.h"

#include <stdbool.h>

/* Opens the directory `name` in `dir` (or the path `name`, with dir AT_FDCWD). It must be a directory and no
 * link, belong to us, and not be writable by others. With `create` it is made, mode 0700, if it is missing.
 * `path` and `what` are for the error ("the trash"). Returns -1 with `err` set; err->sys is ENOENT when it
 * does not exist. */
int olv_private_open(int dir, const char *name, bool create, const char *path, const char *what,
                     struct olv_error *err);
/* Makes the directories that lead to the last component of an absolute path. */
bool olv_make_parents(const char *path, struct olv_error *err);

#endif
