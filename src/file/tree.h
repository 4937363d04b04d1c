/* SPDX-License-Identifier: Apache-2.0 */
/* Removes a whole tree, by descriptors. */
#ifndef OLV_FILE_TREE_H
#define OLV_FILE_TREE_H

#include "olvido/entry.h"
#include "olvido/error.h"

#include "file/unlink.h"

/* Unlinks `name` in `dir`, and everything below it if it is a directory. Links are removed, never followed; a
 * mount point is not entered, and stops the removal. Afterwards either everything is gone, or `err` says what
 * is in the way; what was removed by then stays removed. `how`: what is done to each file before (NULL:
 * nothing). */
bool olv_tree_remove(int dir, const char *name, enum olv_kind kind, const struct unlinking *how,
                     struct olv_error *err);

#endif
