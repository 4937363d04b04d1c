/* SPDX-License-Identifier: Apache-2.0 */
/* Where a file goes back to: shared by the places that give. */
#ifndef OLV_SOURCE_DESTINATION_H
#define OLV_SOURCE_DESTINATION_H

#include "source/hooks.h"

/* Opens the directory of an absolute path without following links, and points `name` at the last component.
 * -1 with `err` (ENOENT: see file/parents.h). */
int destination_open(const char *path, const char **name, struct olv_error *err);
/* Olvido's own files are never replaced or set aside; and what goes where its arguments say goes to no
 * guarded place. */
bool destination_is_allowed(const struct turn *turn, const struct olv_docket_entry *entry, int dir,
                            const char *name, struct olv_outcome *outcome);
/* Notes where the file is now: in the directory of this path, under this name. The outcome borrows `placed`.
 */
void destination_note(struct olv_outcome *outcome, struct olv_text *placed, const char *path,
                      const char *name);
/* Notes that its directory changed. */
void destination_touch(struct turn *turn, int dir);

#endif
