/* SPDX-License-Identifier: Apache-2.0 */
/* Directories that have gone, and are needed again for what goes into them. */
#ifndef OLV_FILE_PARENTS_H
#define OLV_FILE_PARENTS_H

#include "olvido/entry.h"
#include "olvido/error.h"

/* Opens the directory of an absolute path, which is there, never through a link. -1 with `err`. */
int parents_there(const char *directory, struct olv_error *err);
/* The same, and makes what is missing of it beneath the nearest one that is there, on the disk when it
 * returns. What is made has the owner, group and mode of that one, and no access lists; beneath a directory
 * of everybody it belongs to whoever owns `inhabitant`, and only he may write. `label` tells apart what is
 * being made (see room.h). -1 with `err`. */
int parents_open(const char *directory, const struct olv_stat *inhabitant, const char *label,
                 struct olv_error *err);
/* After a crash: what was being made of it under this label goes. */
void parents_finish(const char *directory, const char *label);

#endif
