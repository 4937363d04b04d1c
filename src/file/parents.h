/* SPDX-License-Identifier: Apache-2.0 */
/* Recreates missing directories that are needed again. */
#ifndef OLV_FILE_PARENTS_H
#define OLV_FILE_PARENTS_H

#include "olvido/entry.h"
#include "olvido/error.h"

/* Opens the directory of an absolute path, which exists, never through a link. -1 with `err`. */
int parents_there(const char *directory, struct olv_error *err);
/* Opens the directory of what has this path, and makes missing directories below the nearest existing one,
 * durably. They get its owner, group and mode, and no access lists; below a directory that everybody can
 * write they belong to the owner of `inhabitant`, and only he may write. `label` is unique (see room.h). -1
 * with `err`. */
int parents_open(const char *path, const struct olv_stat *inhabitant, const char *label,
                 struct olv_error *err);
/* After a crash: removes what was being made under this label. */
void parents_finish(const char *path, const char *label);

#endif
