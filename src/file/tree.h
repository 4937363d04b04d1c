/* SPDX-License-Identifier: Apache-2.0 */
/* Removing a whole tree, by descriptors. */
#ifndef OLV_FILE_TREE_H
#define OLV_FILE_TREE_H

#include "olvido/entry.h"
#include "olvido/error.h"

/* Unlinks `name` in `dir`, with everything below it when it is a directory. Links are removed, never
 * followed; what another file system covers is not entered, and stops the removal. Afterwards either all is
 * gone, or `err` says what stands in the way; what was removed until then stays removed. */
bool olv_tree_remove(int dir, const char *name, enum olv_kind kind, struct olv_error *err);

#endif
