/* SPDX-License-Identifier: Apache-2.0 */
/* Where a file goes back to: what the places that give have in common. */
#ifndef OLV_SOURCE_DESTINATION_H
#define OLV_SOURCE_DESTINATION_H

#include "source/hooks.h"

/* Opens the directory of an absolute path without following links, and points `name` at the last component.
 * `copy` gets the directory's path, "" where that is too long. -1 with `err` (ENOENT: see file/parents.h). */
int destination_open(const char *path, char *copy, size_t size, const char **name, struct olv_error *err);
/* What stands at its place may have to stay: Olvido's own files are never replaced or moved aside. */
bool destination_is_allowed(const struct turn *turn, const struct olv_docket_entry *entry, int dir,
                            const char *name, struct olv_outcome *outcome);
/* Notes where it is now; `path` is the caller's, and borrowed by the outcome. */
void destination_note(struct olv_outcome *outcome, struct olv_text *path, const char *directory,
                      const char *name);
/* Its directory has changed. */
void destination_touch(struct turn *turn, int dir);

#endif
