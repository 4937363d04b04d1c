/* SPDX-License-Identifier: Apache-2.0 */
/* Directories that are ours alone: the state directory, the trash, and their contents. */
#ifndef OLV_OS_PRIVATE_H
#define OLV_OS_PRIVATE_H

#include "olvido/error.h"

#include <stdbool.h>

/* Opens the directory `name` in `dir` (or the path `name`, with dir AT_FDCWD). It must be a directory, not a
 * link, belong to us, and not be writable by others. With `create` a missing one is created with mode 0700.
 * `path` and `what` are for the error ("the trash"). -1 with `err`; err->sys is ENOENT if it does not exist.
 */
int olv_private_open(int dir, const char *name, bool create, const char *path, const char *what,
                     struct olv_error *err);
/* Creates the directories above the last component of an absolute path. */
bool olv_make_parents(const char *path, struct olv_error *err);

#endif
